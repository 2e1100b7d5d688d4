export { default as RecordsPanel } from './components/RecordsPanel.vue'
export { asked, recordsLink, phrase, type Filter } from './logic/filters'
