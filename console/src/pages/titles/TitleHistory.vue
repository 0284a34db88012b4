<script setup lang="ts">
import { ref, toRef } from 'vue'

import ChangeList from '../../components/ChangeList.vue'
import MoreButton from '../../components/MoreButton.vue'
import QueryState from '../../components/QueryState.vue'
import { useHistory } from '../../queries'
import { count, moment } from '../../words'

/** What changed a title, when, by whom and on what evidence. */
const props = defineProps<{ id: string; changes: number }>()

const open = ref(false)
const list = useHistory(toRef(props, 'id'), open)
const { items } = list
</script>

<template>
  <section aria-labelledby="history">
    <h2 id="history" class="mt-5 mb-2">History</h2>
    <v-btn v-if="!open" variant="outlined" @click="open = true">
      Show {{ count(changes, 'change', 'changes') }}
    </v-btn>
    <QueryState v-else :query="list" :empty="items.length === 0">
      <template #empty><p class="quiet">Nothing changed it yet.</p></template>
      <v-card>
        <ol class="entries">
          <li v-for="x in items" :key="x.version" class="px-4 py-3">
            <p>
              <strong>{{ moment(x.accepted) }}</strong>,
              <router-link :to="`/reviews/${x.contribution}`">contribution {{ x.contribution }}</router-link>
              by {{ x.by || 'somebody' }}, accepted by {{ x.reviewed_by || 'somebody' }}
              <span class="quiet">
                <template v-if="x.revision !== null">(revision {{ x.revision }})</template>
                <template v-else>(not published yet)</template>
              </span>
            </p>
            <ChangeList :changes="x.changes" />
          </li>
        </ol>
      </v-card>
      <MoreButton :list="list" />
    </QueryState>
  </section>
</template>

<style scoped>
.entries {
  list-style: none;
  padding: 0;
}

.entries > li + li {
  border-top: 1px solid rgba(var(--v-border-color), var(--v-border-opacity));
}
</style>
