export const QuarantineEverywherePage = () => import('./pages/QuarantineEverywherePage.vue')
export const QuarantinePage = () => import('./pages/QuarantinePage.vue')
export const RecordPage = () => import('./pages/RecordPage.vue')
