<script setup lang="ts">
import { computed, toRef } from 'vue'

import type { Schemas } from '../../api/client'
import FoldedPart from '../../components/FoldedPart.vue'
import { useCloudOf } from '../../queries'
import StepList from './StepList.vue'
import { ways } from './ownfiles'

/** How people copy a variant's files, put them back and start afresh, with Endroit and by hand. */
const props = defineProps<{ title: string; variant: Schemas['Variant'] }>()

const cloud = useCloudOf(toRef(() => props.variant))
const all = computed(() => ways(props.title, props.variant, cloud.value))
const unconfirmed = computed(() =>
  props.variant.locations.some((l) => l.usable && l.standing !== 'confirmed' && l.standing !== 'proven'),
)
</script>

<template>
  <div v-if="all.length" class="px-4 py-2">
    <FoldedPart title="Copy, put back or start afresh">
      <p v-if="unconfirmed" class="quiet">
        Not all of these places were confirmed by a second person: Endroit asks once more before it replaces
        or takes away anything there, and so should you.
      </p>
      <section v-for="w in all" :key="w.what" :aria-label="w.what">
        <h3>{{ w.what }}</h3>
        <div class="ways">
          <div>
            <h4 class="quiet">With Endroit</h4>
            <StepList :steps="w.endroit" />
          </div>
          <div>
            <h4 class="quiet">By hand</h4>
            <StepList :steps="w.hand" />
          </div>
        </div>
      </section>
    </FoldedPart>
  </div>
</template>

<style scoped>
h3 {
  margin: var(--space-2) 0 0;
}

h4 {
  margin: 0;
  font-weight: 400;
}

.ways {
  display: grid;
  grid-template-columns: 1fr 1fr;
  column-gap: var(--space-4);
}

.ways > div {
  min-width: 0;
}

@media (max-width: 720px) {
  .ways {
    grid-template-columns: 1fr;
  }
}
</style>
