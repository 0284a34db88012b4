<script setup lang="ts">
/**
 * Draws a standing: a word, and a survey mark that tells it without colour. An
 * open triangle was seen by one person, a triangle with a point by several.
 */
defineProps<{ standing: string; reason: string }>()
</script>

<template>
  <v-tooltip v-if="standing" :text="reason" location="top" max-width="360">
    <template #activator="{ props: tip }">
      <span
        v-bind="tip"
        class="standing"
        :class="standing"
        tabindex="0"
        :aria-label="`${standing}: ${reason}`"
      >
        <svg viewBox="0 0 16 16" aria-hidden="true">
          <path d="M8 2 14.5 13.5h-13z" />
          <circle v-if="standing === 'confirmed'" cx="8" cy="10" r="1.9" />
        </svg>
        {{ standing }}
      </span>
    </template>
  </v-tooltip>
</template>

<style scoped>
.standing {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  white-space: nowrap;
  border-radius: 4px;
  padding: 0 4px;
}

.confirmed {
  color: rgb(var(--v-theme-primary));
  font-weight: 700;
}

svg {
  width: 15px;
  height: 15px;
  fill: none;
  stroke: currentColor;
  stroke-width: 1.6;
  stroke-linejoin: round;
}

circle {
  fill: currentColor;
  stroke: none;
}
</style>
