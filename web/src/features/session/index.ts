import { defineAsyncComponent } from 'vue'

export { usePerson } from './logic/person'
export const JoinPage = () => import('./pages/JoinPage.vue')
export const SignInPage = () => import('./pages/SignInPage.vue')
export const SignInAgain = defineAsyncComponent(() => import('./components/SignInAgain.vue'))
