export { default as LibraryPage } from './pages/LibraryPage.vue'
