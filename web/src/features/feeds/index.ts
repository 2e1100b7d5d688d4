export { default as FeedPage } from './pages/FeedPage.vue'
export { default as FeedsPage } from './pages/FeedsPage.vue'
