export { default as ProfilePage } from './pages/ProfilePage.vue'
