export { useDelivery } from './logic/delivery'
export { useAnalysis } from './logic/analysis'
export { afterOf, END, useRuleChoices, useTableAfter } from './logic/tableAfter'
export const DeliveryPage = () => import('./pages/DeliveryPage.vue')
