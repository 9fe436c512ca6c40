import { createPinia } from 'pinia'
import { createApp } from 'vue'

import App from './App.vue'
import { router } from './router'
import { useMessages } from './stores/messages'
import { vuetify } from './theme'

/** Puts the application into the page. Returns where it says what a person should know. */
export function mount() {
  const app = createApp(App).use(createPinia()).use(router).use(vuetify)
  app.mount('#app')
  return useMessages()
}
