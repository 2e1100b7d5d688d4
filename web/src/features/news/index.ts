export { default as ArrivalPlan } from './components/ArrivalPlan.vue'
export { default as FeedPolicy } from './components/FeedPolicy.vue'
export const CalendarPage = () => import('./pages/CalendarPage.vue')
export const MemoryPage = () => import('./pages/MemoryPage.vue')
export const NewsPage = () => import('./pages/NewsPage.vue')
