export { default as ReleasePage } from './pages/ReleasePage.vue'
export { default as ReleasesPage } from './pages/ReleasesPage.vue'
