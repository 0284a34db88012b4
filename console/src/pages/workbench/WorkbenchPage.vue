<script setup lang="ts">
import BenchList from './BenchList.vue'
import BenchView from './BenchView.vue'
import PageState from '../../components/PageState.vue'
import { useSession } from '../../queries'

/** The trace that is served on this machine; on a service, the contributions to look into. */
const session = useSession()
</script>

<template>
  <PageState
    v-if="session.isPending.value || session.error.value"
    class="page"
    :pending="session.isPending.value"
    :error="session.error.value"
    :kept="!!session.data.value"
    @again="session.refetch()"
  />
  <BenchView v-else-if="session.data.value?.local" />
  <BenchList v-else />
</template>
