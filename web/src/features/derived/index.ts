export const MadeFromPage = () => import('./pages/MadeFromPage.vue')
export const LineagePage = () => import('./pages/LineagePage.vue')
export { default as MadeFromLine } from './components/MadeFromLine.vue'
