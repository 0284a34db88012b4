<script setup lang="ts">
import { mdiWeatherNight, mdiWhiteBalanceSunny } from '@mdi/js'
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { hint } from './hint'
import { signInWanted, useSession, useSignOut } from './queries'

// Needed seldom, and loaded then.
const PagesMenu = defineAsyncComponent(() => import('./components/PagesMenu.vue'))
const HintTooltip = defineAsyncComponent(() => import('./components/HintTooltip.vue'))
const SignInAgain = defineAsyncComponent(() => import('./pages/session/SignInAgain.vue'))

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const session = useSession()
const signOut = useSignOut()

const person = computed(() => session.data.value?.person)
// Signing in leads back to the page that one was on.
const signInHere = computed(() =>
  route.path === '/sign-in' ? route.fullPath : { path: '/sign-in', query: { next: route.fullPath } },
)
// The order of the pages is the order of the job.
const all = [
  { to: '/titles', text: 'Titles' },
  { to: '/workbench', text: 'Workbench' },
  { to: '/reviews', text: 'Reviews' },
  { to: '/launchers', text: 'Launchers' },
  { to: '/revisions', text: 'Revisions' },
]
// endroit workbench serves its own page alone.
const local = computed(() => session.data.value?.local ?? false)
const pages = computed(() => (local.value ? all.filter((p) => p.to === '/workbench') : all))
const home = computed(() => (local.value ? '/workbench' : '/titles'))

const offline = ref(!navigator.onLine)
const online = () => (offline.value = !navigator.onLine)
// On a phone, or at 200 %, the pages are in a menu.
const few = matchMedia('(max-width: 860px)')
const narrow = ref(few.matches)
const fits = () => (narrow.value = few.matches)

onMounted(() => {
  few.addEventListener('change', fits)
  addEventListener('online', online)
  addEventListener('offline', online)
})
onBeforeUnmount(() => {
  removeEventListener('online', online)
  removeEventListener('offline', online)
  few.removeEventListener('change', fits)
})

onMounted(() => {
  const kept = localStorage.getItem('theme')
  if (kept === 'light' || kept === 'dark') theme.change(kept)
})

function turn() {
  const next = theme.current.value.dark ? 'light' : 'dark'
  theme.change(next)
  localStorage.setItem('theme', next)
}

async function leave() {
  await signOut.mutateAsync()
  await router.push('/titles')
}
</script>

<template>
  <v-app>
    <a class="skip" href="#content">To the content</a>
    <v-app-bar flat border="b" height="56" color="surface">
      <nav class="bar" aria-label="Pages">
        <router-link :to="home" class="name"
          ><img src="/icon.svg" alt="" width="26" height="26" />Endroit</router-link
        >
        <PagesMenu v-if="narrow && pages.length > 1" :pages="pages" />
        <router-link
          v-for="p in pages"
          :key="p.to"
          :to="p.to"
          class="page-link"
          :class="{ here: route.path.startsWith(p.to), wide: pages.length > 1 }"
          :aria-current="route.path.startsWith(p.to) ? 'page' : undefined"
          >{{ p.text }}</router-link
        >
        <v-spacer />
        <v-btn
          :icon="theme.current.value.dark ? mdiWhiteBalanceSunny : mdiWeatherNight"
          variant="text"
          size="small"
          :aria-label="theme.current.value.dark ? 'Light colours' : 'Dark colours'"
          @click="turn"
        />
        <template v-if="person">
          <span class="who"
            >{{ person.name
            }}<span class="quiet role">, {{ person.reviewer ? 'reviewer' : 'contributor' }}</span></span
          >
          <v-btn variant="text" size="small" class="leave" @click="leave">Sign out</v-btn>
        </template>
        <span v-else-if="local" class="quiet who">on this machine alone</span>
        <router-link v-else :to="signInHere" class="page-link">Sign in</router-link>
      </nav>
    </v-app-bar>
    <v-main id="content" tabindex="-1">
      <v-alert v-if="offline" type="warning" variant="tonal" density="compact" role="alert"
        >You are offline. What you typed is kept; the service cannot be reached.</v-alert
      >
      <router-view />
    </v-main>
    <HintTooltip v-if="hint" />
    <SignInAgain v-if="signInWanted" />
  </v-app>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: var(--space-1);
  width: 100%;
  max-width: 1120px;
  margin: 0 auto;
  padding: 0 var(--space-4);
}

.name {
  display: inline-flex;
  align-items: center;
  gap: var(--space-2);
  margin-right: var(--space-3);
  font-size: var(--text-part);
  font-weight: 700;
  text-decoration: none;
  color: inherit;
}

.page-link {
  padding: var(--space-2) var(--space-2);
  border-radius: 6px;
  text-decoration: none;
  color: inherit;
  white-space: nowrap;
}

.page-link:hover {
  background: rgb(var(--v-theme-surface-variant));
  color: rgb(var(--v-theme-on-surface-variant));
}

.page-link.here,
.page-link.router-link-active {
  color: rgb(var(--v-theme-primary));
  font-weight: 700;
  box-shadow: inset 0 -2px rgb(var(--v-theme-primary));
  border-radius: 6px 6px 0 0;
}

.who {
  white-space: nowrap;
  padding-left: var(--space-2);
}

.skip {
  position: absolute;
  left: -999px;
}

.skip:focus {
  left: 8px;
  top: 8px;
  z-index: 3000;
  padding: var(--space-2);
  background: rgb(var(--v-theme-surface));
}

@media (max-width: 860px) {
  .page-link.wide {
    display: none;
  }
}

@media (max-width: 720px) {
  .bar {
    padding: 0 var(--space-2);
  }

  .name {
    margin-right: 0;
    font-size: 0;
    gap: 0;
  }

  .page-link {
    padding: var(--space-2);
  }

  .role {
    display: none;
  }
}
</style>
