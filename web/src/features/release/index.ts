export const ReleasePage = () => import('./pages/ReleasePage.vue')
export const ReleasesPage = () => import('./pages/ReleasesPage.vue')
export const ReleasedTablePage = () => import('./pages/ReleasedTablePage.vue')
export const ChangesPage = () => import('./pages/ChangesPage.vue')
export { default as FeedHeading } from './components/FeedHeading.vue'
export { useProposalsWaiting } from './composables/proposalsWaiting'
export const PartsPage = () => import('./pages/PartsPage.vue')
export const HistoryPage = () => import('./pages/HistoryPage.vue')
