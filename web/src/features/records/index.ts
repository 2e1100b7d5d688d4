export { default as RecordsPanel } from './components/RecordsPanel.vue'
export { recordsLink, phrase, type Filter } from './logic/filters'
