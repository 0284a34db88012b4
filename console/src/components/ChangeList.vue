<script setup lang="ts">
import type { Schemas } from '../api/client'
import { holds } from '../words'
import LocationText from './LocationText.vue'

/** What differs between two states of a title, a change a line. */
defineProps<{ changes: Schemas['Change'][] }>()

/** What happened to a location, behind its name; empty where the whole sentence is better. */
function became(c: Schemas['Change']): string {
  switch (c.what) {
    case 'new-location':
      return `is new (${holds[c.holds ?? ''] ?? c.holds}), ${c.after}${c.to ? `, in place of ${c.to}` : ''}`
    case 'location-gone':
      return 'is no longer recorded'
    case 'more-evidence':
      return `has more evidence, and stays ${c.after}`
    case 'standing-changed':
      return `is ${c.after} instead of ${c.before}: ${c.to}`
    case 'versions-changed':
      return `holds for ${c.to} instead of ${c.from}`
    case 'belongs-changed':
      return `belongs to the ${c.to || 'machine or the person'}`
    case 'new-notes':
      return `gets notes on the structure of its files: ${c.to}`
  }
  return ''
}
</script>

<template>
  <ul class="changes">
    <li v-for="c in changes" :key="c.what + c.at + c.variant + c.to + c.from">
      <template v-if="c.at && became(c)">
        <span v-if="c.title" class="mr-2">{{ c.title }}:</span>
        <LocationText :at="c.at" />
        <span class="quiet ml-2">{{ became(c) }}</span>
      </template>
      <template v-else>{{ c.text }}</template>
    </li>
    <li v-if="!changes.length" class="quiet">nothing</li>
  </ul>
</template>

<style scoped>
.changes {
  padding-left: 1.1em;
}
</style>
