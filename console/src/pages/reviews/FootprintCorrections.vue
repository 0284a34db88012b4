<script setup lang="ts">
import type { Schemas } from '../../api/client'
import { kinds, moment, oneLine } from '../../words'
import LocationText from '../../components/LocationText.vue'

/** What people said of kinds, against the judgement. */
defineProps<{ corrections: Schemas['Correction'][] }>()
</script>

<template>
  <v-card v-if="corrections.length" class="pa-3 mb-3">
    <p v-for="c in corrections" :key="c.file" class="said">
      <LocationText :at="c.file" />: <strong>{{ oneLine(c.by || 'the contributor') }}</strong> says
      <strong>{{ kinds[c.kind] }}</strong>, judged to be {{ kinds[c.was]
      }}<template v-if="c.because">: {{ oneLine(c.because) }}</template>
      <span class="quiet"> ({{ moment(c.made) }})</span>
    </p>
  </v-card>
</template>

<style scoped>
.said + .said {
  margin-top: var(--space-1);
}
</style>
