export { default as RecordsPanel } from './components/RecordsPanel.vue'
export { doorTo, phrase, type Filter } from './logic/filters'
