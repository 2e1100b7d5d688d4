import { VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import App from './app/App.vue'
import { router } from './app/router'
import { queryClient } from './app/queries'
import 'ant-design-vue/dist/reset.css'
import './app/tokens.css'
import './app/base.css'

createApp(App).use(router).use(VueQueryPlugin, { queryClient }).mount('#app')
