<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import FoldedPart from '../../components/FoldedPart.vue'
import { count, holds, kinds, oneLine } from '../../words'

/** One location of a draft in the making: its pattern, and what that does. */
const props = defineProps<{
  location: { at: string; holds: string; why?: string[] }
  tried?: Schemas['Tried']
  bench: Schemas['Workbench']
}>()
defineEmits<{ change: [l: { at?: string; holds?: string }]; remove: []; choose: [file: number] }>()

const what = Object.entries(holds).map(([value, title]) => ({ value, title }))
const strays = computed(() =>
  (props.tried?.stray ?? []).map((n) => ({ number: n, ...props.bench.files[n]! })),
)
const listed = 5
</script>

<template>
  <div class="location" :class="{ wrong: tried?.error || tried?.others.length }">
    <div class="fields">
      <v-text-field
        :model-value="location.at"
        label="Anchor and pattern"
        density="compact"
        hide-details
        class="pattern"
        spellcheck="false"
        autocapitalize="off"
        @update:model-value="$emit('change', { at: $event })"
      />
      <v-select
        :model-value="location.holds"
        :items="what"
        label="Holds"
        density="compact"
        variant="outlined"
        hide-details
        class="holds"
        @update:model-value="$emit('change', { holds: $event })"
      />
      <div v-if="tried && !tried.error" class="covers">
        <FoldedPart
          v-if="tried.files.length"
          :title="`covers ${count(tried.files.length, 'file seen', 'files seen')}`"
          class="covered"
        >
          <ul>
            <li v-for="n in tried.files.slice(0, 30)" :key="n">
              <button type="button" class="mono wrap link" @click="$emit('choose', n)">
                {{ oneLine(bench.files[n]?.place ?? '') }}
              </button>
            </li>
          </ul>
        </FoldedPart>
        <template v-else>covers no file seen</template>
      </div>
      <v-btn
        :icon="mdiClose"
        variant="text"
        size="x-small"
        :aria-label="`Remove ${location.at}`"
        @click="$emit('remove')"
      />
    </div>
    <div class="says" aria-live="polite">
      <template v-if="tried">
        <p v-if="tried.error" class="error wrap">Refused: {{ oneLine(tried.error) }}</p>
        <p v-for="o in tried.others" :key="o.title + o.titles_at" class="error wrap">
          It overlaps files of <strong>{{ oneLine(o.title_name) }}</strong>, recorded as
          <span class="mono">{{ o.titles_at }}</span>
        </p>
        <p v-if="strays.length" class="warn">
          {{ count(strays.length, 'of them is', 'of them are') }} not {{ holds[location.holds] }}:
          <template v-for="(s, i) in strays.slice(0, listed)" :key="s.number"
            ><template v-if="i">, </template
            ><button type="button" class="mono wrap link" @click="$emit('choose', s.number)">
              {{ oneLine(s.place ?? '') }}
            </button>
            ({{ kinds[s.kind] }})</template
          ><template v-if="strays.length > listed">, …</template>
        </p>
        <p v-for="t in tried.twice" :key="t" class="warn wrap">
          It overlaps <span class="mono">{{ t }}</span>
        </p>
        <p v-for="n in tried.notes" :key="n" class="quiet wrap">{{ oneLine(n) }}</p>
      </template>
      <FoldedPart v-if="location.why?.length" title="why it is as it is" class="quiet">
        <ul class="reasons">
          <li v-for="w in location.why" :key="w" class="wrap">{{ oneLine(w) }}</li>
        </ul>
      </FoldedPart>
    </div>
  </div>
</template>

<style scoped>
.location {
  padding: var(--space-2) 0 var(--space-2);
  border-top: 1px solid rgba(var(--v-border-color), var(--v-border-opacity));
}

.wrong {
  padding-left: var(--space-2);
  border-left: 3px solid rgb(var(--v-theme-error));
}

.fields {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: var(--space-2);
}

.pattern {
  flex: 1 1 100%;
}

.pattern :deep(input) {
  font-family: var(--mono);
  font-size: var(--text-small);
}

.holds {
  flex: 0 0 8.5rem;
}

.covers {
  flex: 1;
  font-size: var(--text-note);
}

.says {
  padding-top: var(--space-hair);
  font-size: var(--text-note);
}

ul {
  padding-left: 1.1em;
}

.error {
  color: rgb(var(--v-theme-error));
}

.warn {
  color: rgb(var(--v-theme-warning));
}
</style>
