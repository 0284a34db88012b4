<script setup lang="ts">
import { mdiMagnify } from '@mdi/js'
import { computed, defineAsyncComponent, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { vCursor } from '../../focus'
import MoreButton from '../../components/MoreButton.vue'
import QueryState from '../../components/QueryState.vue'
import { useTitles } from '../../queries'
import { count, shellQuote, systems } from '../../words'

const BestAnswer = defineAsyncComponent(() => import('./BestAnswer.vue'))

const route = useRoute()
const router = useRouter()
const typed = ref(String(route.query.q ?? ''))
const asked = ref(typed.value)
const titles = useTitles(asked)
const { items } = titles
const best = computed(() => (asked.value.trim() ? (items.value[0]?.id ?? '') : ''))
// An answer is shown for the question that stands in the field, and for no other.
const answering = computed(() => titles.isPending.value || (typed.value ?? '').slice(0, 200) !== asked.value)

// Searches as one types, a moment after the last key.
let waiting: ReturnType<typeof setTimeout> | undefined
watch(typed, (text) => {
  clearTimeout(waiting)
  waiting = setTimeout(() => {
    asked.value = (text ?? '').slice(0, 200)
    void router.replace({ query: asked.value ? { q: asked.value } : {} })
  }, 150)
})
watch(
  () => route.query.q,
  (q) => {
    const text = String(q ?? '')
    if (text !== asked.value) typed.value = asked.value = text // back and forward
  },
)
</script>

<template>
  <div class="page">
    <h1>Where does it keep my progress?</h1>
    <p class="quiet mt-1 mb-4">
      Every location here was observed in a traced run of the game and accepted by a second person.
    </p>
    <v-text-field
      v-model="typed"
      v-cursor
      label="A title, a store's number, or the address of its store page"
      placeholder="Tidewrack"
      :prepend-inner-icon="mdiMagnify"
      clearable
      hide-details
      type="search"
    />
    <QueryState :query="titles" :pending="answering" :empty="items.length === 0">
      <template #empty>
        <v-card class="pa-6 my-4">
          <p v-if="asked">No title is recorded as “{{ asked }}” yet.</p>
          <p v-else>No title is recorded yet.</p>
          <p class="mt-2">To find out yourself, run the game under observation, from its own folder:</p>
          <pre class="mono mt-2">endroit trace --title {{ shellQuote(asked || 'NAME') }} -- ./the-game</pre>
        </v-card>
      </template>
      <BestAnswer v-if="best" :id="best" :because="items[0]?.because" />
      <v-card class="mt-4">
        <v-table>
          <thead>
            <tr>
              <th>Title</th>
              <th>Systems</th>
              <th>Sold by</th>
              <th class="text-right">Variants</th>
              <th class="text-right">Locations</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="t in items" :key="t.id">
              <td>
                <router-link :to="`/titles/${encodeURIComponent(t.id)}`">{{ t.name }}</router-link>
                <div v-if="t.because" class="quiet">{{ t.because }}</div>
              </td>
              <td>{{ t.systems.map((s) => systems[s] ?? s).join(', ') }}</td>
              <td>{{ t.stores.join(', ') || 'not recorded' }}</td>
              <td class="text-right">{{ t.variants }}</td>
              <td class="text-right">{{ t.locations }}</td>
            </tr>
          </tbody>
        </v-table>
      </v-card>
      <p class="quiet mt-2">
        {{ count(items.length, 'title', 'titles')
        }}<template v-if="titles.hasNextPage.value"> so far</template>
        <MoreButton :list="titles" />
      </p>
    </QueryState>
  </div>
</template>
