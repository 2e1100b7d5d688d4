export const PeoplePage = () => import('./pages/PeoplePage.vue')
