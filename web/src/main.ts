import { createApp } from 'vue'
import { VueQueryPlugin, QueryClient } from '@tanstack/vue-query'
import App from './App.vue'
import { router } from './router'
import { ApiError } from './api/client'
import { remember } from './offline/remember'
import './main.css'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (count, error) => error instanceof ApiError && error.offline && count < 3,
    },
  },
})

await remember(queries)
createApp(App).use(router).use(VueQueryPlugin, { queryClient: queries }).mount('#app')
