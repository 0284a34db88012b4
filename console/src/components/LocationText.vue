<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { pieces } from '../location'
import CopyMenu from './CopyMenu.vue'
import PathText from './PathText.vue'

/** Draws a location: the anchor as a word, the pattern, and what varies in it set off. */
const props = defineProps<{
  at: string
  means?: string
  forms?: Schemas['Form'][]
}>()

const anchor = computed(() => props.at.slice(0, props.at.indexOf(':')))
const pattern = computed(() => props.at.slice(props.at.indexOf(':') + 1))
</script>

<template>
  <span class="location">
    <span class="text">
      <span v-hint="means" class="anchor">{{ anchor }}</span><span class="colon">:</span
      ><span class="pattern"
        ><template v-for="(p, i) in pieces(pattern)" :key="i"
          ><span v-if="p.means" v-hint="p.means" class="varies">{{ p.text }}</span
          ><PathText v-else :path="p.text" /></template
      ></span>
    </span>
    <CopyMenu v-if="forms" :at="at" :forms="forms" />
  </span>
</template>

<style scoped>
.location {
  display: inline-flex;
  align-items: center;
  gap: var(--space-2);
  max-width: 100%;
}

.text {
  overflow-wrap: anywhere;
  line-height: 1.6;
}

.anchor {
  padding: 1px var(--space-2);
  border-radius: 4px;
  background: rgb(var(--v-theme-surface-variant));
  color: rgb(var(--v-theme-on-surface-variant));
  font-size: var(--text-small);
  font-weight: 700;
  white-space: nowrap;
}

.colon {
  padding: 0 3px;
  opacity: 0.6;
}

.pattern {
  font-family: var(--mono);
}

.varies {
  border-bottom: 2px dotted rgb(var(--v-theme-secondary));
  color: rgb(var(--v-theme-secondary));
}
</style>
