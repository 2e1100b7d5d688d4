export const InboxPage = () => import('./pages/InboxPage.vue')
export { useInbox } from './logic/inbox'
