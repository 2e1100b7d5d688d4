export { default as IntakePage } from './pages/IntakePage.vue'
