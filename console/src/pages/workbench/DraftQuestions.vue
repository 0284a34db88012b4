<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '../../api/client'
import { oneLine } from '../../words'

type Question = Schemas['Question']

/** What the run does not decide. The person does, beside the draft, which changes at once. */
const props = defineProps<{ questions: Question[]; answerable: boolean; busy: boolean }>()
const emit = defineEmits<{ answer: [index: number, text: string] }>()

const typed = ref<Record<number, string>>({})

function chosen(q: Question): string[] {
  if (q.answer === 'all') return q.of ?? []
  return q.answer
    .split(',')
    .map((n) => n.trim())
    .filter((n) => n && n !== 'none')
}

/** One more name that the player chose, or one less. */
function toggle(i: number, name: string, on: boolean) {
  const names = chosen(props.questions[i]!).filter((n) => n !== name)
  if (on) names.push(name)
  emit('answer', i, names.join(', ') || 'none')
}
</script>

<template>
  <ol class="questions">
    <li v-for="(q, i) in questions" :key="`${q.topic} ${q.ask}`">
      <p class="wrap">{{ oneLine(q.ask) }}</p>
      <p v-if="!answerable" class="quiet">{{ q.answer ? `Answer: ${oneLine(q.answer)}` : 'Not answered' }}</p>
      <v-btn-toggle
        v-else-if="q.answers?.length"
        role="group"
        :model-value="q.answer"
        density="compact"
        variant="outlined"
        divided
        :disabled="busy"
        :aria-label="oneLine(q.ask)"
        @update:model-value="$emit('answer', i, $event ?? '')"
      >
        <v-btn v-for="a in q.answers" :key="a" :value="a" size="small">{{ a }}</v-btn>
      </v-btn-toggle>
      <div v-else-if="q.topic === 'names' && q.of?.length" role="group" :aria-label="oneLine(q.ask)">
        <v-checkbox
          v-for="name in q.of"
          :key="name"
          :model-value="chosen(q).includes(name)"
          :label="`I chose ${oneLine(name)}`"
          density="compact"
          hide-details
          :disabled="busy"
          @update:model-value="toggle(i, name, !!$event)"
        />
        <v-btn
          v-if="!q.answer"
          size="small"
          variant="text"
          :disabled="busy"
          @click="$emit('answer', i, 'none')"
          >The game makes {{ q.of.length === 1 ? 'it' : 'them all' }}</v-btn
        >
        <p v-else-if="q.answer === 'none'" class="quiet">
          You said that the game makes {{ q.of.length === 1 ? 'it' : 'them all' }}.
        </p>
      </div>
      <form v-else @submit.prevent="$emit('answer', i, (typed[i] ?? q.answer).trim())">
        <v-text-field
          :model-value="typed[i] ?? q.answer"
          label="Your answer; Enter keeps it"
          density="compact"
          hide-details
          :disabled="busy"
          @update:model-value="typed[i] = $event"
        />
      </form>
    </li>
  </ol>
</template>

<style scoped>
.questions {
  padding-left: var(--space-4);
  font-size: var(--text-note);
}

li + li {
  margin-top: var(--space-3);
}

p {
  margin-bottom: var(--space-1);
}
</style>
