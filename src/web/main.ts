import './zod'
import '@fontsource-variable/figtree'
import '@fontsource-variable/jetbrains-mono'
import 'bootstrap/dist/css/bootstrap.min.css'
import './kit/tokens.css'
import './kit/theme.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { queryClient } from './shell/query'
import { router } from './shell/router'

createApp(App).use(createPinia()).use(router).use(VueQueryPlugin, { queryClient }).mount('#app')
