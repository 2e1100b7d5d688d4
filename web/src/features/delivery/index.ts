export { useDelivery } from './logic/delivery'
export const DeliveryPage = () => import('./pages/DeliveryPage.vue')
