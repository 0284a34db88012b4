<script setup lang="ts">
import { mdiMenu } from '@mdi/js'
import { useRoute } from 'vue-router'

/** The pages, where there is no room to name them all. */
defineProps<{ pages: { to: string; text: string }[] }>()
const route = useRoute()
</script>

<template>
  <v-menu location="bottom start">
    <template #activator="{ props: menu }">
      <v-btn
        v-bind="menu"
        :aria-controls="undefined"
        :aria-owns="undefined"
        :icon="mdiMenu"
        variant="text"
        size="small"
        aria-label="Pages"
      />
    </template>
    <v-list density="comfortable" nav>
      <v-list-item
        v-for="p in pages"
        :key="p.to"
        :to="p.to"
        :title="p.text"
        :aria-current="route.path.startsWith(p.to) ? 'page' : undefined"
      />
    </v-list>
  </v-menu>
</template>
