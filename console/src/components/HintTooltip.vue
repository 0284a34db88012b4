<script setup lang="ts">
import { onBeforeUnmount, onMounted } from 'vue'

import { hideHint, hint, hintId, keepHint } from '../hint'

/** The page's one tooltip: see hint.ts. */
const escape = (e: KeyboardEvent) => e.key === 'Escape' && hideHint()
onMounted(() => addEventListener('keydown', escape))
onBeforeUnmount(() => removeEventListener('keydown', escape))
</script>

<template>
  <v-tooltip
    :id="hintId"
    :key="hint?.text"
    :model-value="!!hint"
    :target="hint?.about"
    :text="hint?.text"
    :content-props="{ onMouseenter: keepHint, onMouseleave: () => hideHint() }"
    interactive
    :location="hint?.side"
    max-width="480"
    @update:model-value="hideHint()"
  />
</template>
