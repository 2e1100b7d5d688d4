export { default as QuarantineEverywherePage } from './pages/QuarantineEverywherePage.vue'
export { default as QuarantinePage } from './pages/QuarantinePage.vue'
