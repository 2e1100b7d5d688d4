export { useDelivery } from './logic/delivery'
export { default as DeliveryPage } from './pages/DeliveryPage.vue'
