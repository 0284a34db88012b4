<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import FoldedPart from '../../components/FoldedPart.vue'
import LocationText from '../../components/LocationText.vue'
import StandingMark from '../../components/StandingMark.vue'
import { untried } from './missing'

/** Which evidence would make a variant better known: for contributors who look for something to do. */
const props = defineProps<{ variant: Schemas['Variant'] }>()

const wanted = computed(() => props.variant.locations.filter((l) => l.raise.length))
const also = computed(() => [...untried(props.variant), ...(props.variant.absence?.raise ?? [])])
</script>

<template>
  <div v-if="wanted.length || also.length" class="px-4 py-2">
    <FoldedPart title="Which evidence is missing">
      <ul class="reasons">
        <li v-for="l in wanted" :key="l.holds + l.at">
          <LocationText :at="l.at" /> is <StandingMark :standing="l.standing" :reason="l.reason" />; wanted:
          {{ l.raise.join('; ') }}
        </li>
        <li v-for="x in also" :key="x">{{ x }}</li>
      </ul>
    </FoldedPart>
  </div>
</template>
