<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import MoreButton from '../../components/MoreButton.vue'
import QueryState from '../../components/QueryState.vue'
import { useContributions, useSession } from '../../queries'
import { moment } from '../../words'

type State = 'waiting' | 'accepted' | 'returned'
const states: State[] = ['waiting', 'accepted', 'returned']

const route = useRoute()
const router = useRouter()
const session = useSession()
const reviewer = computed(() => session.data.value?.person?.reviewer ?? false)
const state = computed<State>({
  get: () => states.find((s) => s === route.query.state) ?? 'waiting',
  set: (s) => void router.replace({ query: s === 'waiting' ? {} : { state: s } }),
})
const list = useContributions(state)
const { items } = list
</script>

<template>
  <div class="page">
    <h1>Reviews</h1>
    <p class="quiet mt-1 mb-3">
      <template v-if="reviewer"
        >What others submitted. Open one, check it against its footprint, and decide.</template
      >
      <template v-else-if="session.data.value?.person"
        >Your own contributions, and what became of them.</template
      >
    </p>
    <v-tabs v-if="session.data.value?.person" v-model="state" color="primary" density="compact" class="mb-2">
      <v-tab v-for="s in states" :key="s" :value="s">{{ s }}</v-tab>
    </v-tabs>
    <QueryState :query="list" :empty="items.length === 0">
      <template #empty>
        <v-card class="pa-6 my-2">
          <p v-if="state === 'waiting' && reviewer">Nothing waits for a review.</p>
          <template v-else-if="state === 'waiting'">
            <p>None of your contributions waits.</p>
            <p class="mt-2">
              One begins with a traced run: <span class="mono">endroit trace --title NAME -- ./the-game</span>
            </p>
          </template>
          <p v-else>No contribution was {{ state }} yet.</p>
        </v-card>
      </template>
      <v-card>
        <v-table>
          <thead>
            <tr>
              <th class="text-right number">No.</th>
              <th>About</th>
              <th>By</th>
              <th>Submitted</th>
              <th v-if="state !== 'waiting'">Decided by</th>
              <th v-if="state === 'accepted'" class="text-right">Revision</th>
              <th v-if="state === 'returned'">Because</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="c in items" :key="c.number">
              <td class="text-right">{{ c.number }}</td>
              <td>
                <router-link :to="`/reviews/${c.number}`">{{ c.title }}</router-link>
                <span class="quiet statement">{{ c.statement }}</span>
              </td>
              <td>{{ c.by || 'somebody' }}</td>
              <td>{{ moment(c.submitted) }}</td>
              <td v-if="state !== 'waiting'">{{ c.decided_by || 'somebody' }}</td>
              <td v-if="state === 'accepted'" class="text-right">{{ c.revision }}</td>
              <td v-if="state === 'returned'" class="wrap">{{ c.because }}</td>
            </tr>
          </tbody>
        </v-table>
      </v-card>
      <MoreButton :list="list" />
    </QueryState>
  </div>
</template>

<style scoped>
.number {
  width: 4rem;
}

.statement {
  display: block;
  font-size: var(--text-note);
  overflow-wrap: anywhere;
}
</style>
