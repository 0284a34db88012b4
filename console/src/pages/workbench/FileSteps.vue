<script setup lang="ts">
import { computed, toRef } from 'vue'

import { useSteps } from '../../queries'
import type { Span } from './timeline'
import { count, inRun, oneLine, type Run, size } from '../../words'
import QueryState from '../../components/QueryState.vue'

/** What was done to the file, step by step, in the stretch that the timeline shows. */
const props = defineProps<{ file: number; span: Span; runs?: Run[] }>()

const query = useSteps(toRef(props, 'file'), toRef(props, 'span'))
const steps = computed(() => [...(query.data.value?.steps ?? [])].sort((a, b) => a.at - b.at))
</script>

<template>
  <QueryState :query="query" :empty="steps.length === 0">
    <v-table class="steps">
      <thead>
        <tr>
          <th>At</th>
          <th>Done</th>
          <th>By</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(s, i) in steps" :key="i">
          <td class="mono">
            {{ (inRun(s.at, runs).own / 1e9).toFixed(3) }} s<template v-if="(runs?.length ?? 0) > 1">
              of run {{ inRun(s.at, runs).run + 1 }}</template
            >
          </td>
          <td>
            {{ s.op }}<span v-if="s.to" class="wrap"> · {{ oneLine(s.to) }}</span
            ><span v-if="s.size" class="quiet">, {{ size(s.size) }}</span
            ><span v-if="s.what" class="quiet">, {{ oneLine(s.what) }}</span>
          </td>
          <td>{{ oneLine(s.program) }}</td>
        </tr>
      </tbody>
    </v-table>
    <p v-if="query.data.value?.more" class="quiet mt-2">
      and {{ count(query.data.value.more, 'more', 'more') }} in this stretch; zoom in on the timeline to see
      them
    </p>
    <template #empty
      ><p class="quiet">Nothing was done to it in the stretch that the timeline shows.</p></template
    >
  </QueryState>
</template>

<style scoped>
.steps {
  max-height: 380px;
  overflow-y: auto;
}
</style>
