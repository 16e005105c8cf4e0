import '@fontsource-variable/public-sans/index.css'
import 'primeicons/primeicons.css'
import './styles.css'
import { VueQueryPlugin, QueryClient } from '@tanstack/vue-query'
import PrimeVue from 'primevue/config'
import ToastService from 'primevue/toastservice'
import { createApp } from 'vue'
import App from './App.vue'
import { Problem } from './api/client'
import { router } from './router'
import { preset } from './theme'

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      networkMode: 'always', // whether the server answers is seen by asking it, not by what the browser believes
      retry: (n, e) => !(e instanceof Problem && e.status >= 400 && e.status < 500) && n < 2,
    },
  },
})

createApp(App)
  .use(router)
  .use(VueQueryPlugin, { queryClient: client })
  .use(PrimeVue, { theme: { preset, options: { darkModeSelector: '.dark' } } })
  .use(ToastService)
  .mount('#app')
