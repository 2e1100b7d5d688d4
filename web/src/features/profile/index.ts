export const ProfilePage = () => import('./pages/ProfilePage.vue')
