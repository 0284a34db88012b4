<script setup lang="ts">
import type { Ref } from 'vue'

import PageState from './PageState.vue'

/** What a page shows of a query: what it waits for, what went wrong, or what it got. */
withDefaults(
  defineProps<{
    query: {
      isPending: Readonly<Ref<boolean>>
      error: Readonly<Ref<Error | null>>
      data: Readonly<Ref<unknown>>
      refetch: () => unknown
    }
    /** In place of the query's own, where more has to come. */
    pending?: boolean
    empty?: boolean
  }>(),
  { pending: undefined },
)
</script>

<template>
  <PageState
    :pending="pending ?? query.isPending.value"
    :error="query.error.value"
    :kept="!!query.data.value"
    :empty="empty"
    @again="query.refetch()"
  >
    <template #empty><slot name="empty" /></template>
    <slot />
  </PageState>
</template>
