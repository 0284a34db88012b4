<script setup lang="ts">
/** Asks for the next page of a list, where there is one. */
defineProps<{ more: boolean; loading: boolean }>()
defineEmits<{ more: [] }>()
</script>

<template>
  <v-btn v-if="more" variant="text" size="small" :loading="loading" @click="$emit('more')">More</v-btn>
</template>
