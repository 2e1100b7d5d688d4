export const RulesPage = () => import('./pages/RulesPage.vue')
