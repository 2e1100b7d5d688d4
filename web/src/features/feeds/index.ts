export { default as FeedsPage } from './pages/FeedsPage.vue'
