<script setup lang="ts">
import { computed, toRef } from 'vue'

import type { Schemas } from '../../api/client'
import { useBenchFile } from '../../queries'
import type { Span } from './timeline'
import { kinds, oneLine, size, times } from '../../words'
import FileBytes from './FileBytes.vue'
import FileDifferences from './FileDifferences.vue'
import FileReasons from './FileReasons.vue'
import FileSteps from './FileSteps.vue'
import KindCorrection from './KindCorrection.vue'
import LocationText from '../../components/LocationText.vue'
import PathText from '../../components/PathText.vue'
import QueryState from '../../components/QueryState.vue'

/** The chosen file: what it is and why, what was done to it, what is in it. */
const props = defineProps<{ bench: Schemas['Workbench']; number?: number; file: number; span: Span }>()
const tab = defineModel<string>('tab', { required: true })

const query = useBenchFile(toRef(props, 'number'), toRef(props, 'file'))
const x = computed(() => query.data.value)
const correction = computed(() =>
  props.bench.corrections.find((c) => c.file === (x.value?.place ?? x.value?.path)),
)
const state = computed(() => {
  const f = x.value!
  const used = [
    props.bench.reads_seen ? `read ${times(f.reads)}` : '',
    `written ${times(f.writes || (f.changes ?? 0))}`,
  ]
  const after =
    f.is === 'absent'
      ? 'gone afterwards'
      : `${f.new ? 'new, ' : ''}${f.is === 'key' ? `${f.size} values` : size(f.size)}`
  const near = f.near?.length ? `near the cue ${f.near.join(', ')}` : ''
  return [...used, after, near, f.programs?.length ? `by ${f.programs.join(', ')}` : '']
    .filter(Boolean)
    .join(', ')
})
</script>

<template>
  <v-card class="pa-3">
    <QueryState :query="query">
      <template v-if="x">
        <h2 class="where">
          <LocationText v-if="x.place" :at="oneLine(x.place)" /><span v-else class="mono wrap"
            ><PathText :path="oneLine(x.path ?? '')"
          /></span>
        </h2>
        <p v-if="x.place && x.path" class="quiet mono wrap small"><PathText :path="oneLine(x.path)" /></p>
        <p class="mt-1">
          <strong>{{ kinds[x.kind] }}</strong><template v-if="!x.judged"
            >, {{ Math.round(x.confidence * 100) }} % sure</template
          >; {{ oneLine(state) }}
        </p>
        <KindCorrection :bench="bench" :number="number" :file="x" :correction="correction" />
        <v-tabs v-model="tab" density="compact" color="primary" class="mt-2">
          <v-tab value="why">Why</v-tab>
          <template v-if="bench.local">
            <v-tab value="steps">Steps</v-tab>
            <v-tab value="bytes">Bytes</v-tab>
            <v-tab value="compare">Compare</v-tab>
          </template>
        </v-tabs>
        <div class="pt-3">
          <FileReasons v-if="tab === 'why' || !bench.local" :file="x" />
          <FileSteps v-else-if="tab === 'steps'" :file="file" :span="span" :runs="bench.runs" />
          <FileBytes v-else-if="tab === 'bytes'" :key="file" :file="file" :versions="x.versions" />
          <FileDifferences v-else :key="file" :file="file" :versions="x.versions" />
        </div>
        <p v-if="!bench.local" class="quiet mt-3">
          Its content stayed on the contributor's machine, with the single steps:
          <code>endroit workbench TRACE</code> shows them there.
        </p>
      </template>
    </QueryState>
  </v-card>
</template>

<style scoped>
.where {
  font-size: var(--text-body);
  font-weight: 400;
}

.small {
  font-size: var(--text-small);
}
</style>
