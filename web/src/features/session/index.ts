export { usePerson } from './logic/person'
export { default as JoinPage } from './pages/JoinPage.vue'
export { default as SignInPage } from './pages/SignInPage.vue'
