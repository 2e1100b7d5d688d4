export const IntakePage = () => import('./pages/IntakePage.vue')
