<script setup lang="ts">
import type { Schemas } from '../../api/client'
import { systems as names } from '../../words'

/** What a launcher's sheet tells of each operating system: where, and how it is read. */
defineProps<{ systems: Schemas['SheetSystem'][] }>()
</script>

<template>
  <v-card v-for="s in systems" :key="s.system" class="mb-4" tag="section" :aria-label="names[s.system]">
    <h3 class="px-4 pt-3">{{ names[s.system] ?? s.system }}</h3>
    <ul class="rows sheet">
      <li v-for="(r, i) in s.rows" :key="i" class="row">
        <span class="what">{{ r.what }}</span>
        <span class="where">
          <span class="mono path">{{ r.where }}</span>
          <span v-if="r.how" class="quiet how">{{ r.how }}</span>
        </span>
      </li>
    </ul>
  </v-card>
</template>

<style scoped>
.sheet .row {
  grid-template-columns: 13rem 1fr;
  align-items: baseline;
}

.path {
  display: block;
  white-space: pre-line;
  overflow-wrap: anywhere;
}

.how {
  display: block;
  font-size: var(--text-note);
  overflow-wrap: anywhere;
}

@media (max-width: 720px) {
  .sheet .row {
    grid-template-columns: 1fr;
  }
}
</style>
