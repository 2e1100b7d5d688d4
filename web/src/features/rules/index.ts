export { default as RulesPage } from './pages/RulesPage.vue'
