export const ActivityPage = () => import('./pages/ActivityPage.vue')
