import '@fontsource-variable/atkinson-hyperlegible-next'
import '@fontsource-variable/atkinson-hyperlegible-mono'
import 'vuetify/styles'
import './look.css'

import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

import App from './App.vue'
import { useNotices } from './cell/noticesStore'
import { router } from './router'
import { themes } from './scene/look'

const nonce = document.querySelector<HTMLMetaElement>('meta[name=csp-nonce]')?.content

const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: { defaultTheme: 'light', themes, cspNonce: nonce },
  defaults: {
    VBtn: { variant: 'text', density: 'compact', rounded: 'md' },
    VTooltip: { openDelay: 350, location: 'bottom' },
    VList: { density: 'compact' },
    VMenu: { transition: 'fade-transition' },
    VDialog: { transition: 'fade-transition' },
    VTextField: { density: 'compact', variant: 'outlined', hideDetails: 'auto' },
  },
})

const app = createApp(App).use(createPinia()).use(router).use(vuetify)

// What nobody took care of is told in its own words, and stands in the console with its trace.
app.config.errorHandler = (error) => {
  console.error(error)
  useNotices().say(inWords(error))
}
window.addEventListener('unhandledrejection', ({ reason }) => useNotices().say(inWords(reason)))
// A part of the page that is loaded when it is asked for: the server is away, or has been renewed.
const inWords = (error: unknown) =>
  /dynamically imported module|async component/i.test(String(error))
    ? 'A part of this page could not be loaded. Load the page again.'
    : error

router.onError((error) => useNotices().say(inWords(error)))

app.mount('#app')
