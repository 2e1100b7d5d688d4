export const LibraryPage = () => import('./pages/LibraryPage.vue')
