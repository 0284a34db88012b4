<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import { count, oneLine } from '../../words'
import LocationText from '../../components/LocationText.vue'

/** The answer: the files in which progress, settings and pictures most likely are. */
const props = defineProps<{ bench: Schemas['Workbench']; chosen?: number }>()
defineEmits<{ choose: [file: number] }>()

const most = 5
const questions = [
  { kind: 'save', text: 'Progress is most likely in' },
  { kind: 'config', text: 'Settings are most likely in' },
  { kind: 'capture', text: 'Pictures and recordings are most likely in' },
]
const answers = computed(() =>
  questions
    .map((q) => {
      const files = props.bench.files
        .map((f, number) => ({ ...f, number }))
        .filter((f) => f.kind === q.kind)
        .sort((a, b) => b.confidence - a.confidence)
      return { ...q, files: files.slice(0, most), more: files.length - most }
    })
    .filter((q) => q.files.length > 0),
)
</script>

<template>
  <v-card class="answer">
    <p v-if="answers.length === 0" class="pa-4">
      Nothing looks like progress or settings. Did the game save? Trace a run in which it does, mark that with
      <code>endroit cue saved</code>, and quit properly. What it wrote stands in the folders below.
    </p>
    <section v-for="a in answers" :key="a.kind" class="question">
      <h2>{{ a.text }}</h2>
      <ul>
        <li v-for="f in a.files" :key="f.number">
          <button
            type="button"
            class="file bare"
            :class="{ chosen: f.number === chosen }"
            :aria-pressed="f.number === chosen"
            @click="$emit('choose', f.number)"
          >
            <span class="where">
              <LocationText v-if="f.place" :at="oneLine(f.place)" />
              <span v-else class="mono wrap">{{ oneLine(f.path ?? '') }}</span>
            </span>
            <span v-hint="oneLine((f.reasons ?? []).join('; '))" class="why"
              ><b>{{ f.judged ? 'corrected' : `${Math.round(f.confidence * 100)} % sure` }}</b
              ><span class="quiet">: {{ oneLine((f.reasons ?? []).join('; ')) }}</span></span
            >
          </button>
        </li>
      </ul>
      <p v-if="a.more > 0" class="quiet more">
        and {{ count(a.more, 'more', 'more') }}, in the folders below
      </p>
    </section>
  </v-card>
</template>

<style scoped>
.answer {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(22rem, 100%), 1fr));
  gap: var(--space-1) var(--space-5);
  padding: var(--space-2) var(--space-3);
}

h2 {
  padding: var(--space-hair) var(--space-2);
  font-size: var(--text-body);
}

ul {
  list-style: none;
  padding: 0;
  margin: 0;
}

.file {
  display: block;
  width: 100%;
  padding: 3px var(--space-2);
  border-radius: 6px;
  text-align: left;
}

.file:hover {
  background: rgba(var(--v-theme-on-surface), 0.05);
}

.file.chosen {
  background: rgba(var(--v-theme-primary), 0.1);
  box-shadow: inset 3px 0 rgb(var(--v-theme-primary));
}

.where {
  display: block;
  font-size: var(--text-note);
}

.why {
  display: block;
  overflow: hidden;
  font-size: var(--text-small);
  text-overflow: ellipsis;
  white-space: nowrap;
}

.more {
  padding-left: var(--space-2);
}
</style>
