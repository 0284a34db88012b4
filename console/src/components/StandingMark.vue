<script setup lang="ts">
/**
 * Draws a standing: a word, and a survey mark that tells it without colour. An
 * open triangle was seen by one person, a triangle with a point by several, a full one was
 * proven, one with a stroke inside is disputed, a struck one withdrawn, a dashed one stale.
 * The reason shows on hover and on focus.
 */
defineProps<{ standing: string; reason: string }>()
</script>

<template>
  <span
    v-if="standing"
    class="standing"
    :class="standing"
    tabindex="0"
    role="note"
    :aria-label="`${standing}: ${reason}`"
  >
    <svg viewBox="0 0 16 16" aria-hidden="true">
      <path class="mark" d="M8 2 14.5 13.5h-13z" />
      <circle v-if="standing === 'confirmed'" cx="8" cy="10" r="1.9" />
      <path v-else-if="standing === 'disputed'" d="M8 6v3.6M8 11.4v.6" />
      <path v-else-if="standing === 'withdrawn'" d="M1 8h14" />
    </svg>
    {{ standing }}
    <span class="reason" aria-hidden="true">{{ reason }}</span>
  </span>
</template>

<style scoped>
.standing {
  position: relative;
  display: inline-flex;
  align-items: baseline;
  gap: 5px;
  white-space: nowrap;
  border-radius: 4px;
  padding: 0 var(--space-1);
  cursor: help;
}

.confirmed {
  color: rgb(var(--v-theme-primary));
  font-weight: 700;
}

.disputed {
  color: rgb(var(--v-theme-error));
  font-weight: 700;
}

.withdrawn {
  text-decoration: line-through;
}

.proven .mark {
  fill: currentColor;
}

.stale .mark {
  stroke-dasharray: 2.4 1.8;
}

.reason {
  display: none;
  position: absolute;
  z-index: 10;
  right: 0;
  bottom: calc(100% + 4px);
  width: max-content;
  max-width: min(340px, 80vw);
  padding: var(--space-2) var(--space-2);
  border-radius: 6px;
  background: rgb(var(--v-theme-on-surface));
  color: rgb(var(--v-theme-surface));
  font-size: var(--text-note);
  font-weight: 400;
  text-decoration: none;
  white-space: normal;
}

.standing:hover .reason,
.standing:focus .reason {
  display: block;
}

@media (max-width: 720px) {
  .reason {
    right: auto;
    left: 0;
  }
}

svg {
  align-self: center;
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
