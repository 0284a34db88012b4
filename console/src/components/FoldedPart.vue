<script setup lang="ts">
/** A part of a page that is folded away under its title until it is opened. */
defineProps<{ title?: string; startsOpen?: boolean }>()
</script>

<template>
  <v-expansion-panels
    variant="accordion"
    elevation="0"
    flat
    static
    class="folded"
    :model-value="startsOpen ? 0 : undefined"
  >
    <v-expansion-panel>
      <v-expansion-panel-title>
        <slot name="title">{{ title }}</slot>
      </v-expansion-panel-title>
      <v-expansion-panel-text><slot /></v-expansion-panel-text>
    </v-expansion-panel>
  </v-expansion-panels>
</template>

<style scoped>
.folded {
  display: block;
}

.folded :deep(.v-expansion-panel) {
  background: none;
  color: inherit;
}

.folded :deep(.v-expansion-panel-title) {
  min-height: 24px;
  padding: var(--space-hair) 0;
  gap: var(--space-1);
  justify-content: start;
  font-size: inherit;
  line-height: inherit;
}

.folded :deep(.v-expansion-panel-title__icon) {
  margin-inline-start: 0;
  order: -1;
}

.folded :deep(.v-expansion-panel-text__wrapper) {
  padding: 0 0 var(--space-1);
}
</style>
