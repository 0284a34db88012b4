<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Schemas } from '../../api/client'
import { useDifferences, useSums } from '../../queries'
import { bytes, count, hex, oneLine, size } from '../../words'
import HexRows from './HexRows.vue'
import QueryState from '../../components/QueryState.vue'

/** What differs between two versions of a file, and checksums that hold in both. */
const props = defineProps<{ file: number; versions: Schemas['BenchVersion'][] }>()

const from = ref(props.versions[0]?.id ?? '')
const to = ref(props.versions[props.versions.length - 1]?.id ?? '')
const query = useDifferences(
  computed(() => props.file),
  from,
  to,
)
const sums = useSums()
watch([from, to], () => sums.reset())
const got = computed(() => query.data.value)
const items = computed(() =>
  props.versions.map((v) => ({ value: v.id, title: `${v.says}, ${size(v.size)}` })),
)
const listed = 60
const inBytes = ref(false) // of two texts, which are shown by lines otherwise
const lines = computed(() => (inBytes.value ? null : (got.value?.lines ?? null)))
const places = computed(() =>
  lines.value
    ? lines.value.length + (got.value?.more_lines ?? 0)
    : (got.value?.differences.length ?? 0) + (got.value?.more ?? 0),
)
const drawn = computed(() => Math.min(listed, lines.value?.length ?? got.value?.differences.length ?? 0))

/** Says what happened at one place. */
function says(d: Schemas['BenchDifferences']['differences'][number]): string {
  const at = d.at === d.to_at ? hex(d.at) : `${hex(d.at)} (${hex(d.to_at)} in the later)`
  if (d.length === 0) return `${at}: ${count(d.to_length, 'byte', 'bytes')} inserted`
  if (d.to_length === 0) return `${at}: ${count(d.length, 'byte', 'bytes')} removed`
  return `${at}: ${count(d.length, 'byte', 'bytes')} changed${d.length === d.to_length ? '' : ` to ${d.to_length}`}`
}
</script>

<template>
  <div>
    <p v-if="versions.length < 2" class="quiet">
      There is one version at most, so nothing can be compared. A run keeps what small files held before it
      changed them, at each cue, and at its end.
    </p>
    <template v-else>
      <div class="pair">
        <v-select
          v-model="from"
          :items="items"
          label="From"
          density="compact"
          variant="outlined"
          hide-details
        />
        <v-select v-model="to" :items="items" label="To" density="compact" variant="outlined" hide-details />
      </div>
      <QueryState :query="query">
        <p v-if="got?.cannot" role="alert">{{ oneLine(got.cannot) }}</p>
        <template v-else-if="got">
          <p class="mt-2">
            <strong>{{
              got.differences.length === 0
                ? 'They are the same.'
                : count(places, 'place differs', 'places differ')
            }}</strong>
            <v-btn v-if="got.lines?.length" variant="text" size="small" @click="inBytes = !inBytes">{{
              inBytes ? 'Show lines' : 'Show bytes'
            }}</v-btn>
            <v-btn
              variant="text"
              size="small"
              :loading="sums.isPending.value"
              @click="sums.mutate({ file, version: to, against: from })"
              >Look for checksums</v-btn
            >
          </p>
          <ul v-if="sums.data.value" class="sums">
            <li v-for="s in sums.data.value.sums" :key="`${s.algorithm} ${s.at} ${s.from}`">
              <strong>{{ s.algorithm }}</strong> at {{ hex(s.at) }}, {{ s.stored }}, over {{ hex(s.from) }} to
              {{ hex(s.to) }}: {{ got.differences.length === 0 ? 'it holds' : 'it holds in both' }}
            </li>
            <li v-if="sums.data.value.cannot">{{ oneLine(sums.data.value.cannot) }}</li>
            <li v-else-if="sums.data.value.sums.length === 0">
              No common checksum of both stands in them, at the usual places.
              <code>endroit bytes --sums</code> looks at others.
            </li>
          </ul>
          <p v-if="sums.error.value" role="alert">{{ sums.error.value.message }}</p>
          <template v-if="lines">
            <section v-for="(d, i) in lines.slice(0, listed)" :key="i" class="difference">
              <h3>Line {{ d.from }}{{ d.from === d.to ? '' : ` (${d.to} in the later)` }}</h3>
              <pre
                class="mono lines"
                tabindex="0"
                role="group"
                :aria-label="`What changed at line ${d.from}`"
              ><del v-for="(line, j) in d.was" :key="`was ${j}`">- {{ oneLine(line) }}
</del><ins v-for="(line, j) in d.is" :key="`is ${j}`">+ {{ oneLine(line) }}
</ins></pre>
            </section>
          </template>
          <template v-else>
            <section v-for="(d, i) in got.differences.slice(0, listed)" :key="i" class="difference">
              <h3>{{ says(d) }}</h3>
              <HexRows v-if="d.was" :data="bytes(d.was)" sign="- " :label="`Before, at ${hex(d.at)}`" />
              <HexRows v-if="d.is" :data="bytes(d.is)" sign="+ " :label="`After, at ${hex(d.to_at)}`" />
            </section>
          </template>
          <p v-if="places > drawn" class="quiet">
            and {{ count(places - drawn, 'more place', 'more places') }}
          </p>
        </template>
      </QueryState>
    </template>
  </div>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(12rem, 1fr));
  gap: var(--space-2);
}

.sums {
  padding-left: 1.1em;
}

.lines {
  overflow: auto;
  max-height: 340px;
}

.lines :is(del, ins) {
  text-decoration: none;
}

.lines ins {
  font-weight: 700;
}

.difference {
  margin-top: var(--space-2);
}

h3 {
  font-size: var(--text-note);
}
</style>
