<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { ProblemError } from '../api/client'

/** What a page shows while it waits, when something went wrong, and when there is nothing. */
const props = defineProps<{ pending: boolean; error: Error | null; empty?: boolean }>()
defineEmits<{ again: [] }>()

const route = useRoute()
const status = computed(() => (props.error instanceof ProblemError ? props.error.problem.status : -1))
const request = computed(() =>
  props.error instanceof ProblemError && status.value >= 500 ? props.error.problem.request_id : undefined,
)
</script>

<template>
  <v-progress-linear v-if="pending" indeterminate color="primary" aria-label="Loading" />
  <v-card v-else-if="status === 401" class="pa-6 my-4" role="alert">
    <p class="mb-3">This page needs an account. Sign in, and you come back here.</p>
    <v-btn color="primary" :to="{ path: '/sign-in', query: { next: route.fullPath } }">Sign in</v-btn>
  </v-card>
  <v-card v-else-if="error" class="pa-6 my-4" role="alert">
    <p class="mb-3">{{ status === 404 ? 'There is no such thing here.' : error.message }}</p>
    <p v-if="request" class="quiet mb-3">Request {{ request }}</p>
    <v-btn v-if="status !== 404" variant="outlined" @click="$emit('again')">Try again</v-btn>
    <v-btn v-else variant="outlined" to="/titles">All titles</v-btn>
  </v-card>
  <slot v-else-if="empty" name="empty" />
  <slot v-else />
</template>
