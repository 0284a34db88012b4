<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { ProblemError } from '../api/client'
import { signInWanted } from '../queries'

/**
 * What a page shows while it waits, when something went wrong, and when there is nothing.
 * What was there already stays (kept), with what went wrong above it.
 */
const props = defineProps<{ pending: boolean; error: Error | null; empty?: boolean; kept?: boolean }>()
defineEmits<{ again: [] }>()

const route = useRoute()
const status = computed(() => (props.error instanceof ProblemError ? props.error.problem.status : -1))
const request = computed(() =>
  props.error instanceof ProblemError && status.value >= 500 ? props.error.problem.request_id : undefined,
)
</script>

<template>
  <v-skeleton-loader v-if="pending" type="list-item-two-line@3" role="status" aria-label="Loading" />
  <template v-else-if="error && kept">
    <v-alert type="warning" variant="tonal" density="compact" class="my-3" role="alert">
      <template v-if="status === 401">Your sign-in has ended. What you see and typed is kept.</template>
      <template v-else>This may be out of date: {{ error.message }}</template>
      <template #append>
        <v-btn v-if="status === 401" size="small" variant="outlined" @click="signInWanted = true"
          >Sign in again</v-btn
        >
        <v-btn v-else size="small" variant="outlined" @click="$emit('again')">Try again</v-btn>
      </template>
    </v-alert>
    <slot />
  </template>
  <v-card v-else-if="status === 401" class="pa-6 my-4" role="alert">
    <p class="mb-3">This page needs an account. Sign in, and you come back here.</p>
    <v-btn color="primary" :to="{ path: '/sign-in', query: { next: route.fullPath } }">Sign in</v-btn>
  </v-card>
  <v-card v-else-if="error" class="pa-6 my-4" role="alert">
    <p class="mb-3">{{ status === 404 ? 'Not found.' : error.message }}</p>
    <p v-if="request" class="quiet mb-3">Request {{ request }}</p>
    <v-btn v-if="status !== 404" variant="outlined" @click="$emit('again')">Try again</v-btn>
    <v-btn v-else variant="outlined" to="/titles">All titles</v-btn>
  </v-card>
  <slot v-else-if="empty" name="empty" />
  <slot v-else />
</template>
