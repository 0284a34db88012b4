<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'

import type { Schemas } from '../../api/client'
import { useCorrect } from '../../queries'
import { kinds, moment, oneLine } from '../../words'

/** What a person says of the kind, against the judgement, with their name. */
const props = defineProps<{
  bench: Schemas['Workbench']
  number?: number
  file: Schemas['BenchFileShown']
  correction?: Schemas['Correction']
}>()

const correct = useCorrect(toRef(props, 'number'))
const open = ref(false)
const kind = ref<Schemas['Kind']>('save')
const because = ref('')
const list = computed(() => Object.entries(kinds).map(([value, title]) => ({ value, title })))

watch(
  () => [props.file.place, props.file.path, props.file.kind],
  () => {
    open.value = false
    kind.value = props.file.kind
    because.value = ''
    correct.reset()
  },
  { immediate: true },
)

async function say(as: Schemas['Kind'], why: string) {
  await correct.mutateAsync({ file: props.file.place ?? props.file.path ?? '', kind: as, because: why })
  open.value = false
}
</script>

<template>
  <div class="said" :class="{ corrected: correction }">
    <p v-if="correction">
      Judged to be <strong>{{ kinds[correction.was] }}</strong>;
      {{ oneLine(correction.by || 'the contributor') }} says
      <strong>{{ kinds[correction.kind] }}</strong><template v-if="correction.because"
        >: {{ oneLine(correction.because) }}</template
      >
      <span class="quiet"> ({{ moment(correction.made) }})</span>
    </p>
    <p v-if="!bench.may_correct" class="quiet">
      It cannot be corrected now: {{ bench.cannot_correct_reason }}.
    </p>
    <template v-else-if="!open">
      <v-btn variant="outlined" size="small" class="mt-1" @click="open = true">{{
        correction ? 'Say something else' : 'This is of another kind'
      }}</v-btn>
      <v-btn v-if="correction" variant="text" size="small" class="px-1" @click="say(correction.was, '')"
        >Take it back</v-btn
      >
    </template>
    <form v-else class="form" @submit.prevent="say(kind, because)">
      <v-select
        v-model="kind"
        :items="list"
        label="It is"
        density="compact"
        variant="outlined"
        hide-details
        class="kind"
      />
      <v-text-field
        v-model="because"
        label="Because (a reviewer reads it)"
        density="compact"
        hide-details
        maxlength="400"
      />
      <v-btn
        type="submit"
        color="primary"
        size="small"
        :loading="correct.isPending.value"
        :disabled="kind === file.kind"
        >Say so</v-btn
      >
      <v-btn variant="text" size="small" @click="open = false">Cancel</v-btn>
    </form>
    <p v-if="correct.error.value" role="alert" class="error">{{ correct.error.value.message }}</p>
  </div>
</template>

<style scoped>
.corrected {
  padding: var(--space-2) var(--space-2);
  margin-top: var(--space-2);
  border-left: 3px solid rgb(var(--v-theme-secondary));
  background: rgba(var(--v-theme-secondary), 0.08);
}

.form {
  display: flex;
  flex-wrap: wrap;
  gap: var(--space-2);
  align-items: center;
  padding-top: var(--space-2);
}

.kind {
  flex: 0 1 12rem;
}

.error {
  color: rgb(var(--v-theme-error));
}
</style>
