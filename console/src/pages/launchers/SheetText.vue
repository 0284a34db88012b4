<script setup lang="ts">
import { mdiCheck, mdiContentCopy } from '@mdi/js'

import FoldedPart from '../../components/FoldedPart.vue'
import { useCopy } from '../../copy'

/** A sheet as its author writes it, folded away until somebody wants it. */
defineProps<{ text: string; file: string }>()
const { copied, copy } = useCopy()
</script>

<template>
  <v-card class="pa-2">
    <FoldedPart title="The sheet, as YAML" class="pa-2">
      <v-btn
        class="ma-2"
        size="small"
        variant="outlined"
        :prepend-icon="copied ? mdiCheck : mdiContentCopy"
        @click="copy(text)"
        >{{ copied ? 'Copied' : `Copy ${file}` }}</v-btn
      >
      <pre class="mono pa-2" tabindex="0" :aria-label="file">{{ text }}</pre>
    </FoldedPart>
  </v-card>
</template>

<style scoped>
pre {
  overflow-x: auto;
  font-size: var(--text-note);
  line-height: 1.5;
}
</style>
