<script setup lang="ts">
import { mdiCheck, mdiContentCopy } from '@mdi/js'

import type { Schemas } from '../api/client'
import { useCopy } from '../copy'

/** A path in every form that can be pasted somewhere, each with a button that copies it. */
defineProps<{ forms: Schemas['Form'][] }>()
const { copied, copy } = useCopy()
</script>

<template>
  <dl v-if="forms.length" class="forms">
    <div v-for="f in forms" :key="f.for" class="form">
      <dt class="quiet">for {{ f.for }}</dt>
      <dd>
        <span class="mono">{{ f.text }}</span>
        <v-btn
          v-hint="'Copy'"
          :icon="copied === f.text ? mdiCheck : mdiContentCopy"
          size="x-small"
          variant="text"
          :aria-label="`Copy for ${f.for}`"
          @click="copy(f.text)"
        />
      </dd>
    </div>
  </dl>
</template>

<style scoped>
.forms {
  margin: var(--space-hair) 0 var(--space-1);
  font-size: var(--text-note);
}

.form {
  display: grid;
  grid-template-columns: 12em 1fr;
  align-items: baseline;
  column-gap: var(--space-2);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

@media (max-width: 720px) {
  .form {
    grid-template-columns: 1fr;
  }
}
</style>
