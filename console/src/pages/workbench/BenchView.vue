<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { useBench, useBenchFile } from '../../queries'
import type { Span } from './timeline'
import { interest } from './tree'
import { clock, count, oneLine } from '../../words'
import DraftEditor from './DraftEditor.vue'
import FilePanel from './FilePanel.vue'
import FolderTree from './FolderTree.vue'
import FoldedPart from '../../components/FoldedPart.vue'
import QueryState from '../../components/QueryState.vue'
import RunAnswer from './RunAnswer.vue'
import RunTimeline from './RunTimeline.vue'

/** The workbench: of a contribution, or of the trace that is served here. */
const props = defineProps<{ number?: number }>()

const route = useRoute()
const router = useRouter()
const number = toRef(props, 'number')
const query = useBench(number)
const x = computed(() => query.data.value)
const span = ref<Span>({ from: 0, to: 1 })
watch(
  () => x.value?.length,
  (length) => length !== undefined && (span.value = { from: 0, to: Math.max(length, 1) }),
  { immediate: true },
)

// What is most likely progress, or else settings, is what one came for.
const best = computed(() => {
  const list = (x.value?.files ?? []).map((f, i) => ({ ...f, i })).filter((f) => interest.includes(f.kind))
  list.sort((a, b) => interest.indexOf(a.kind) - interest.indexOf(b.kind) || b.confidence - a.confidence)
  return list[0]?.i
})

// It stays chosen when a correction makes something else the best.
const kept = ref<number>()
watch(best, (n) => (kept.value ??= n), { immediate: true })

// The chosen file and tab stand in the address, so that it can be shared.
const chosen = computed(() => {
  const named = Number(route.query.file ?? NaN)
  if (x.value && named >= 0 && named < x.value.files.length) return named
  return kept.value
})
const tab = computed({
  get: () => (route.query.tab as string) || 'why',
  set: (t) => void router.replace({ query: { ...route.query, tab: t } }),
})
const choose = (n: number) => void router.replace({ query: { ...route.query, file: n } })

const named = computed(() =>
  (x.value?.files ?? []).map((f, i) => ({
    number: i,
    path: f.place || f.path || '',
    kind: f.kind,
    lane: f.lane,
  })),
)
const chosenFile = useBenchFile(number, chosen)
const lanes = computed(() => {
  const list = named.value.filter((f) => f.lane && interest.includes(f.kind))
  // A file of no interest that is looked at has its lane too.
  const other = chosen.value === undefined ? undefined : named.value[chosen.value]
  if (other && !interest.includes(other.kind) && chosenFile.data.value?.lane)
    return [{ ...other, lane: chosenFile.data.value.lane }, ...list]
  return list
})
</script>

<template>
  <div class="page wide">
    <router-link v-if="number !== undefined" :to="`/reviews/${number}`" class="quiet"
      >Contribution {{ number }}</router-link
    >
    <QueryState :query="query">
      <template v-if="x">
        <header class="head">
          <h1>{{ oneLine(x.title || 'A run') }}</h1>
          <p>
            {{ oneLine(x.variant) }}
            <span class="quiet"
              >· {{ oneLine(x.name) }}<template v-if="x.by"> by {{ x.by }}</template> · ran for
              {{ clock(x.length)
              }}<template v-if="x.runs.length > 1"> in {{ x.runs.length }} runs</template> ·
              {{ count(x.events, 'event', 'events') }} on {{ count(x.files.length, 'file', 'files') }} ·
              observed by {{ x.observer }}</span
            >
          </p>
          <p v-if="x.cut" class="gap">The trace is cut short: {{ oneLine(x.cut) }}</p>
          <p v-if="x.gaps.length" class="gap">Not seen: {{ oneLine(x.gaps[0]!) }}</p>
          <FoldedPart v-if="x.gaps.length > 1" :title="`${x.gaps.length - 1} more not seen`" class="gap">
            <p v-for="g in x.gaps.slice(1)" :key="g">{{ oneLine(g) }}</p>
          </FoldedPart>
          <p v-if="x.cues.length === 0" class="quiet">
            No moment was marked. <code>endroit cue saved</code> right after saving makes files with progress
            easier to identify.
          </p>
        </header>
        <RunAnswer :bench="x" :chosen="chosen" @choose="choose" />
        <RunTimeline
          v-model:span="span"
          :lanes="lanes"
          :length="x.length"
          :cues="x.cues"
          :runs="x.runs"
          :chosen="chosen"
          class="mt-3"
          @choose="choose"
        />
        <div class="parts">
          <FolderTree :files="named" :chosen="chosen" @choose="choose" />
          <FilePanel
            v-if="chosen !== undefined"
            v-model:tab="tab"
            :bench="x"
            :number="number"
            :file="chosen"
            :span="span"
          />
          <v-card v-else class="pa-4 quiet">Choose a file to see what speaks for it.</v-card>
          <DraftEditor :bench="x" :number="number" @choose="choose" />
        </div>
      </template>
    </QueryState>
  </div>
</template>

<style scoped>
.wide {
  max-width: 1560px;
}

.head {
  margin-bottom: var(--space-3);
}

.parts {
  display: grid;
  grid-template-columns: minmax(15rem, 27fr) minmax(20rem, 45fr) minmax(19rem, 38fr);
  gap: var(--space-3);
  align-items: start;
  margin-top: var(--space-3);
}

.gap {
  color: rgb(var(--v-theme-warning));
}

@media (max-width: 1100px) {
  .parts {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
