export const ReadersPage = () => import('./pages/ReadersPage.vue')
