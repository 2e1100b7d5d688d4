export { default as PeoplePage } from './pages/PeoplePage.vue'
