import './letin' // before the router reads the address
import '@fontsource/atkinson-hyperlegible-next/latin-400.css'
import '@fontsource/atkinson-hyperlegible-next/latin-700.css'
import '@fontsource/atkinson-hyperlegible-next/latin-ext-400.css'
import '@fontsource/atkinson-hyperlegible-next/latin-ext-700.css'
import '@fontsource/atkinson-hyperlegible-mono/latin-400.css'
import '@fontsource/atkinson-hyperlegible-mono/latin-700.css'
import './reset.css'
import 'vuetify/styles/core'
import './tokens.css'
import './spaces.css'
import './style.css'

import { VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'

import App from './App.vue'
import { vHint } from './hint'
import { queryClient } from './queries'
import { router } from './router'
import { shown } from './shown'
import { vuetify } from './theme'

const app = createApp(App)
app.config.globalProperties.$shown = shown
app.directive('hint', vHint)
app.use(VueQueryPlugin, { queryClient }).use(router).use(vuetify).mount('#app')
