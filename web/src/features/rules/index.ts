export const RulesPage = () => import('./pages/RulesPage.vue')
export { default as RuleForm } from './components/RuleForm.vue'
export { blankRule } from './logic/fields'
export { OTHER_TABLES } from './logic/otherTables'
export { freshId, type Rule } from './logic/rulebook'
