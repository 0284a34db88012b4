<script setup lang="ts">
import type { Ref } from 'vue'

/** Asks for the next page of a list, where there is one. */
defineProps<{
  list: {
    hasNextPage: Readonly<Ref<boolean>>
    isFetchingNextPage: Readonly<Ref<boolean>>
    fetchNextPage: () => unknown
  }
}>()
</script>

<template>
  <v-btn
    v-if="list.hasNextPage.value"
    variant="text"
    size="small"
    :loading="list.isFetchingNextPage.value"
    @click="list.fetchNextPage()"
    >More</v-btn
  >
</template>
