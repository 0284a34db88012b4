<script setup lang="ts">
/** A path that breaks after its separators, where it does not fit into a line. */
defineProps<{ path: string }>()
</script>

<template>
  <template v-for="(part, i) in path.split(/(?<=[/\\])/)" :key="i"><wbr v-if="i" />{{ part }}</template>
</template>
