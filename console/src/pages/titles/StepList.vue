<script setup lang="ts">
import { mdiCheck, mdiContentCopy } from '@mdi/js'

import LocationText from '../../components/LocationText.vue'
import { useCopy } from '../../copy'
import type { Step } from './ownfiles'

/** Steps in their order, each with what can be pasted for it. */
defineProps<{ steps: Step[] }>()
const { copied, copy } = useCopy()
</script>

<template>
  <ol class="steps">
    <li v-for="(s, i) in steps" :key="i">
      {{ s.text }}
      <div v-if="s.command">
        <span class="mono">{{ s.command }}</span>
        <v-btn
          v-hint="'Copy'"
          :icon="copied === s.command ? mdiCheck : mdiContentCopy"
          size="x-small"
          variant="text"
          :aria-label="`Copy ${s.command}`"
          @click="copy(s.command)"
        />
      </div>
      <div v-if="s.at"><LocationText :at="s.at" :forms="s.forms ?? []" /></div>
    </li>
  </ol>
</template>

<style scoped>
.steps {
  margin: var(--space-hair) 0 var(--space-2);
  padding-left: 1.4em;
}

.steps > li {
  margin-bottom: var(--space-1);
  overflow-wrap: anywhere;
}
</style>
