<script setup lang="ts">
import type { Schemas } from '../api/client'
import { date } from '../words'

/** Who saw a location, in which run, or tried a sheet, and who accepted that. */
withDefaults(defineProps<{ evidence: Schemas['Evidence'][]; did?: string }>(), { did: 'saw it' })
</script>

<template>
  <ul class="reasons">
    <li v-for="e in evidence" :key="e.contribution">
      <strong>{{ e.by || 'somebody' }}</strong>
      {{ e.kind === 'dispute' ? 'contradicted it' : did
      }}<template v-if="e.version"> in version {{ e.version }}</template
      ><template v-if="e.observer"> ({{ e.observer }})</template>, accepted by
      {{ e.reviewed_by || 'somebody' }} on {{ date(e.accepted) }},
      <router-link :to="`/reviews/${e.contribution}`">contribution {{ e.contribution }}</router-link>
    </li>
  </ul>
</template>
