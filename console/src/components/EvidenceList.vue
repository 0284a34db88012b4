<script setup lang="ts">
import type { Schemas } from '../api/client'
import { date } from '../words'

/** Who said what of a location, by which run or experiment, or tried a sheet, and who accepted that. */
withDefaults(defineProps<{ evidence: Schemas['Evidence'][]; did?: string }>(), { did: '' })
</script>

<template>
  <ul class="reasons">
    <li v-for="(e, i) in evidence" :key="i">
      <strong>{{ e.by || 'somebody' }}</strong>{{ did ? '' : ':' }} {{ did || e.says
      }}<template v-if="e.version"> in version {{ e.version }}</template
      ><template v-if="e.observer"> ({{ e.observer }})</template>, accepted by
      {{ e.reviewed_by || 'somebody' }} on {{ date(e.accepted) }},
      <router-link :to="`/reviews/${e.contribution}`">contribution {{ e.contribution }}</router-link>
    </li>
  </ul>
</template>
