<script setup lang="ts">
import { computed, ref } from 'vue'

import MoreButton from '../../components/MoreButton.vue'
import QueryState from '../../components/QueryState.vue'
import { useContributions } from '../../queries'
import { count, moment } from '../../words'

/** On a service: how a trace is looked into, and the contributions that can be. */
const list = useContributions(ref('waiting'))
const items = computed(() => list.items.value.filter((x) => x.kind !== 'sheet' && x.kind !== 'title'))
</script>

<template>
  <div class="page">
    <h1>Workbench</h1>
    <p class="mb-4">
      What a run did to its files, and what follows from it. A trace on your own machine opens with
      <code>endroit workbench TRACE</code>, without an account; its contents and steps are there too. These
      footprints were submitted and wait for a reviewer:
    </p>
    <QueryState :query="list" :empty="items.length === 0">
      <v-card>
        <ul class="rows headed">
          <li v-for="x in items" :key="x.number" class="row">
            <router-link :to="`/reviews/${x.number}/workbench`">Contribution {{ x.number }}</router-link>
            <span
              ><strong>{{ x.title }}</strong></span
            >
            <span class="quiet">by {{ x.by || 'somebody' }}, {{ moment(x.submitted) }}</span>
          </li>
        </ul>
      </v-card>
      <p class="quiet mt-2">{{ count(items.length, 'footprint', 'footprints') }}</p>
      <MoreButton :list="list" />
      <template #empty
        ><v-card class="pa-6"
          >None waits. Trace a run, then <code>endroit workbench TRACE</code>.</v-card
        ></template
      >
    </QueryState>
  </div>
</template>
