<script setup lang="ts">
import { mdiCheck, mdiContentCopy } from '@mdi/js'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { useCopy } from '../copy'

/** The copy button of a location, with the forms that can be pasted somewhere. */
const props = defineProps<{ at: string; forms: Schemas['Form'][] }>()

const choices = computed(() => [...props.forms, { for: 'a draft, or a program', text: props.at }])
const { copied, copy } = useCopy()
</script>

<template>
  <v-menu location="bottom end">
    <template #activator="{ props: menu }">
      <v-btn
        v-hint="'Copy'"
        v-bind="menu"
        :aria-controls="undefined"
        :aria-owns="undefined"
        :icon="copied ? mdiCheck : mdiContentCopy"
        size="x-small"
        variant="text"
        :aria-label="`Copy ${at}`"
      />
    </template>
    <v-list density="compact" max-width="640">
      <v-list-item v-for="f in choices" :key="f.for" @click="copy(f.text)">
        <v-list-item-subtitle>For {{ f.for }}</v-list-item-subtitle>
        <v-list-item-title class="mono form">{{ f.text }}</v-list-item-title>
      </v-list-item>
    </v-list>
  </v-menu>
  <span class="said" role="status">{{ copied ? 'Copied' : '' }}</span>
</template>

<style scoped>
.form {
  white-space: normal;
  overflow-wrap: anywhere;
}

.said {
  font-size: var(--text-small);
}
</style>
