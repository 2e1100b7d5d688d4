export { usePerson } from './logic/person'
export { default as SignInPage } from './pages/SignInPage.vue'
