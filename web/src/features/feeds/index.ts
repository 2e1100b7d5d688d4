export const FeedPage = () => import('./pages/FeedPage.vue')
export const FeedsPage = () => import('./pages/FeedsPage.vue')
export const SuppliersPage = () => import('./pages/SuppliersPage.vue')
