<script setup lang="ts">
import { computed, toRef } from 'vue'

import { useTitle } from '../../queries'
import { ownSystem, systems } from '../../words'
import LocationRows from '../../components/LocationRows.vue'

/** The answer for those who only came to ask: where the best match keeps progress on their system. */
const props = defineProps<{ id: string; because?: string }>()
const title = useTitle(toRef(props, 'id'))
const system = ownSystem()

const variant = computed(() => {
  const list = title.data.value?.variants ?? []
  return list.find((v) => v.os === system && v.runtime === 'native') ?? list.find((v) => v.os === system)
})
const saves = computed(() => variant.value?.locations.filter((l) => l.holds === 'save') ?? [])
</script>

<template>
  <v-card v-if="title.data.value" class="mt-4 answer">
    <div class="pa-4 pb-2">
      <h2>
        <router-link :to="`/titles/${encodeURIComponent(id)}`">{{ title.data.value.name }}</router-link> on
        {{ systems[system] }}
      </h2>
      <p v-if="because" class="quiet">{{ because }}</p>
      <p v-if="saves.length" class="quiet">{{ variant?.name }}</p>
      <p v-else>
        Its progress on {{ systems[system] }} is not recorded;
        <router-link :to="`/titles/${encodeURIComponent(id)}`">see the other systems</router-link>.
      </p>
    </div>
    <LocationRows v-if="saves.length" :locations="saves" />
  </v-card>
</template>

<style scoped>
.answer {
  border-left: 4px solid rgb(var(--v-theme-primary));
}
</style>
