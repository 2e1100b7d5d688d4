export { default as ActivityPage } from './pages/ActivityPage.vue'
