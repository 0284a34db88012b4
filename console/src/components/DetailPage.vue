<script setup lang="ts">
import { type Ref, watchEffect } from 'vue'

import QueryState from './QueryState.vue'

/** The page of one thing: the way back to the list, the name of the window, and what was got. */
const props = defineProps<{
  list: { title: string; to: string }
  /** The thing, for the name of the window; empty until it is there. */
  name: string
  query: {
    isPending: Readonly<Ref<boolean>>
    error: Readonly<Ref<Error | null>>
    data: Readonly<Ref<unknown>>
    refetch: () => unknown
  }
}>()

watchEffect(() => {
  if (props.name) document.title = `${props.name} · Endroit`
})
</script>

<template>
  <div class="page">
    <nav aria-label="Breadcrumbs">
      <v-breadcrumbs :items="[{ ...list, disabled: false }]" density="compact" class="crumbs" />
    </nav>
    <QueryState :query="query"><slot /></QueryState>
  </div>
</template>

<style scoped>
.crumbs {
  padding: 0;
  margin-left: calc(-1 * var(--space-1));
}
</style>
