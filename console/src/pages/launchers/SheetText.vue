<script setup lang="ts">
import { mdiCheck, mdiContentCopy } from '@mdi/js'

import { useCopy } from '../../copy'

/** A sheet as its author writes it, folded away until somebody wants it. */
defineProps<{ text: string; file: string }>()
const { copied, copy } = useCopy()
</script>

<template>
  <v-card class="pa-2">
    <details>
      <summary class="pa-2">The sheet, as YAML</summary>
      <v-btn
        class="ma-2"
        size="small"
        variant="outlined"
        :prepend-icon="copied ? mdiCheck : mdiContentCopy"
        @click="copy(text)"
        >{{ copied ? 'Copied' : `Copy ${file}` }}</v-btn
      >
      <pre class="mono pa-2" tabindex="0" :aria-label="file">{{ text }}</pre>
    </details>
  </v-card>
</template>

<style scoped>
summary {
  cursor: pointer;
}

pre {
  overflow-x: auto;
  font-size: var(--text-note);
  line-height: 1.5;
}
</style>
