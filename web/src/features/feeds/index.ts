export const FeedPage = () => import('./pages/FeedPage.vue')
export const FeedsPage = () => import('./pages/FeedsPage.vue')
