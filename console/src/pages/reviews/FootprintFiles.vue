<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../../api/client'
import { clock, count, kinds, runClock, size, times } from '../../words'
import FoldedPart from '../../components/FoldedPart.vue'
import LocationText from '../../components/LocationText.vue'

/** What the run did to the title's files: those of interest first, the rest on demand. */
const props = defineProps<{ footprint: Schemas['Footprint']; coverage: Schemas['Covered'][] }>()

const interest = ['save', 'config', 'capture']
const all = ref(false)
const covered = computed(() => new Set(props.coverage.flatMap((c) => c.files)))
const files = computed(() =>
  props.footprint.files
    .map((f, i) => ({ ...f, covered: covered.value.has(i) }))
    .filter((f) => all.value || interest.includes(f.kind) || f.covered),
)
const rest = computed(() =>
  Object.entries(props.footprint.counts)
    .filter(([k, n]) => !interest.includes(k) && n > 0)
    .map(([k, n]) => `${n} ${k}`)
    .join(', '),
)

/** Says how the run changed a file. */
function became(f: Schemas['FootprintFile']): string {
  if (f.after.is === 'absent') return f.before.is === 'absent' ? 'made and removed' : 'removed'
  if (f.before.is === 'absent') return `new, ${amount(f.after)}`
  if (f.before.size !== f.after.size) return `${amount(f.before)}, then ${amount(f.after)}`
  return amount(f.after)
}

/** How much a state holds: bytes, or the values of a key of the registry. */
function amount(s: Schemas['State']): string {
  if ((s.is === 'file' || s.is === 'key') && !s.time && !s.size) return 'size not known'
  return s.is === 'key' ? count(s.size ?? 0, 'value', 'values') : size(s.size)
}

/** What the observer cannot see is not said to be nothing. */
const readsSeen = computed(() => props.footprint.observer !== 'change notifications')
</script>

<template>
  <v-card>
    <div class="pa-4 pb-2">
      <p>
        Ran for {{ clock(footprint.length)
        }}<template v-if="(footprint.runs?.length ?? 0) > 1"> in {{ footprint.runs!.length }} runs</template>,
        observed by {{ footprint.observer
        }}<template v-if="footprint.cues.length"
          >; the contributor marked
          <template v-for="(c, i) in footprint.cues" :key="i"
            ><template v-if="i">, </template><strong>{{ c.cue }}</strong> at
            {{ runClock(c.at, footprint.runs) }}</template
          ></template
        ><template v-else>; no moment was marked</template>.
      </p>
      <p v-for="g in footprint.gaps" :key="g.gap" class="gap">Not seen: {{ g.gap }}</p>
      <p v-if="footprint.cut" class="gap">The trace is cut short: {{ footprint.cut }}</p>
    </div>
    <v-table>
      <thead>
        <tr>
          <th>Kind</th>
          <th>Place and reasons</th>
          <th>Read</th>
          <th>Written</th>
          <th>State</th>
          <th v-if="coverage.length">Covered</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in files" :key="f.place">
          <td class="top">
            <strong>{{ kinds[f.kind] }}</strong>
            <div class="quiet small">{{ Math.round(f.confidence * 100) }} % sure</div>
          </td>
          <td class="top place">
            <LocationText v-if="f.place" :at="f.place" />
            <FoldedPart v-if="(f.reasons ?? []).length > 1" :title="f.reasons![0]" class="small quiet">
              <ul class="reasons">
                <li v-for="r in f.reasons!.slice(1)" :key="r">{{ r }}</li>
              </ul>
            </FoldedPart>
            <div v-else class="small quiet">{{ f.reasons?.[0] }}</div>
            <div v-if="f.again" class="small text-error">
              judged again by the rules of the service it is {{ kinds[f.again.kind] }} ({{
                Math.round(f.again.confidence * 100)
              }}
              % sure)
            </div>
          </td>
          <td class="top">{{ readsSeen ? times(f.reads) : 'not seen' }}</td>
          <td class="top">
            {{ f.writes || !f.changes ? times(f.writes) : `found changed ${times(f.changes)}` }}
            <div v-if="f.near?.length" class="quiet small">near {{ f.near.join(', ') }}</div>
          </td>
          <td class="top">{{ became(f) }}</td>
          <td v-if="coverage.length" class="top">{{ f.covered ? 'yes' : 'no' }}</td>
        </tr>
      </tbody>
    </v-table>
    <p class="pa-4 pt-2 quiet">
      <template v-if="rest">Of the other files: {{ rest }}. </template>
      <v-btn
        v-if="all || files.length < footprint.files.length"
        variant="text"
        size="small"
        @click="all = !all"
        >{{
          all
            ? 'Only those of interest'
            : `Show all ${count(footprint.files.length, 'file', 'files')} that were sent`
        }}</v-btn
      >
    </p>
  </v-card>
</template>

<style scoped>
.top {
  vertical-align: top;
  padding-top: var(--space-2) !important;
  padding-bottom: var(--space-2) !important;
}

.place {
  min-width: 18rem;
}

.small {
  font-size: var(--text-small);
}

.gap {
  color: rgb(var(--v-theme-warning));
}
</style>
