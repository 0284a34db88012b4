<script setup lang="ts">
import type { Schemas } from '../../api/client'
import ChangeList from '../../components/ChangeList.vue'
import LocationText from '../../components/LocationText.vue'

/** What a decision changes in the record, and what stands against it. */
defineProps<{ changes: Schemas['Change'][]; conflicts: Schemas['Conflict'][]; refused: string }>()
</script>

<template>
  <v-card class="pa-4">
    <ChangeList :changes="changes" />
    <p v-if="refused" class="conflict mt-3" role="alert">It cannot be accepted: {{ refused }}</p>
    <div v-for="k in conflicts" :key="k.at + k.titles_at" class="conflict mt-3" role="alert">
      It cannot be accepted: <LocationText :at="k.at" /> can match files of
      <router-link :to="`/titles/${encodeURIComponent(k.title)}`">{{ k.title_name }}</router-link>, which
      keeps its own in <LocationText :at="k.titles_at" />
    </div>
  </v-card>
</template>

<style scoped>
.conflict {
  color: rgb(var(--v-theme-error));
}
</style>
