<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, toRef, watch } from 'vue'
import { onBeforeRouteLeave } from 'vue-router'

import type { Schemas } from '../../api/client'
import { useAnswers, useFeedback, useSaveDraft } from '../../queries'
import { count, holds, oneLine, shellQuote } from '../../words'
import DraftQuestions from './DraftQuestions.vue'
import DraftRow from './DraftRow.vue'

/** The draft in the making, with what each of its locations would do. */
const props = defineProps<{ bench: Schemas['Workbench']; number?: number }>()
defineEmits<{ choose: [file: number] }>()

type Location = Schemas['Draft']['locations'][number]

const locations = ref<(Location & { key: number })[]>([])
const questions = ref<Schemas['Question'][]>([])
const title = ref('')
const digest = ref('')
const edited = ref(false)
const names = ref<Schemas['Draft']['names']>()
let keys = 0

// What the service has is taken over, unless it was worked on here.
watch(
  () => props.bench,
  (bench) => {
    if (edited.value) return
    locations.value = bench.draft.locations.map((l) => ({ ...l, key: keys++ }))
    questions.value = bench.draft.questions ?? []
    names.value = bench.draft.names
    title.value = bench.draft.title
    digest.value = bench.digest
  },
  { immediate: true },
)

// Feedback is asked for when typing rests.
const inMaking = () => ({
  title: title.value,
  locations: locations.value.map(({ at, holds }) => ({ at, holds })),
  ...(props.bench.local ? { questions: questions.value } : {}),
})
const tried = ref(inMaking())
let rest: ReturnType<typeof setTimeout> | undefined
watch(
  [locations, title, questions],
  () => {
    clearTimeout(rest)
    rest = setTimeout(() => (tried.value = inMaking()), 250)
  },
  { deep: true },
)
const feedback = useFeedback(toRef(props, 'number'), tried)
const said = computed(() => feedback.data.value)
// Feedback belongs to a row as long as the row is as it was tried.
const of = (i: number) => {
  const x = said.value?.locations[i]
  const l = locations.value[i]
  return x && l && x.at === l.at && x.holds === l.holds ? x : undefined
}
const refused = computed(() => said.value?.locations.some((l) => l.error) || said.value?.error)

function change(i: number, l: Partial<Location>) {
  const now = locations.value[i]!
  // What was seen belongs to the pattern that it was seen for.
  locations.value[i] =
    l.at !== undefined && l.at !== now.at ? { key: now.key, at: l.at, holds: now.holds } : { ...now, ...l }
  edited.value = true
}

function add(at = '', kind = 'save') {
  locations.value.push({ key: keys++, at, holds: kind })
  edited.value = true
}

const inHand = () => ({
  ...props.bench.draft,
  title: title.value,
  names: names.value,
  questions: questions.value,
  locations: locations.value.map(({ at, holds, why, seen, belongs, notes }) => ({
    at,
    holds,
    why,
    seen,
    belongs,
    notes,
  })),
})

// An answer changes the locations that depend on it at once.
const answers = useAnswers()
const changed = ref('')
async function answer(i: number, text: string) {
  const draft = inHand()
  draft.questions = questions.value.map((q, n) => (n === i ? { ...q, answer: text } : q))
  let done
  try {
    done = await answers.mutateAsync(draft)
  } catch {
    return // it is told below
  }
  locations.value = done.draft.locations.map((l) => ({ ...l, key: keys++ }))
  questions.value = done.draft.questions ?? []
  names.value = done.draft.names
  title.value = done.draft.title
  edited.value = true
  const plain = (list: string[]) => list.map((l) => oneLine(l)).join(', ')
  changed.value =
    [
      done.added.length ? `added ${plain(done.added)}` : '',
      done.removed.length ? `removed ${plain(done.removed)}` : '',
    ]
      .filter(Boolean)
      .join('; ') || 'the locations stay as they are'
}

const save = useSaveDraft()
async function write() {
  const draft = inHand()
  let done
  try {
    done = await save.mutateAsync({ draft, digest: digest.value })
  } catch {
    return // the editor says why, and keeps what was typed
  }
  digest.value = done.digest
  edited.value = false
}
// Leaving with changes that were not saved asks first.
const unsaved = computed(() => edited.value && !!props.bench.saves)
const question = 'The draft has changes that are not saved. Leave without them?'
onBeforeRouteLeave(() => !unsaved.value || window.confirm(question))
const stay = (e: BeforeUnloadEvent) => unsaved.value && e.preventDefault()
onMounted(() => addEventListener('beforeunload', stay))
onBeforeUnmount(() => removeEventListener('beforeunload', stay))

const file = (n: number) => props.bench.files[n]
const name = (n: number) => oneLine(file(n)?.place ?? file(n)?.path ?? '')
</script>

<template>
  <v-card class="pa-3">
    <h2>Draft</h2>
    <p class="quiet small mb-2">
      {{
        bench.local
          ? 'Where the title keeps its files, on any machine. Each pattern shows what it covers.'
          : 'Try other patterns here; the contribution itself is unchanged.'
      }}
    </p>
    <v-text-field
      v-if="bench.local"
      v-model="title"
      label="Title"
      density="compact"
      hide-details
      class="mb-2"
      @update:model-value="edited = true"
    />
    <DraftRow
      v-for="(l, i) in locations"
      :key="l.key"
      :location="l"
      :tried="of(i)"
      :bench="bench"
      @change="change(i, $event)"
      @remove="(locations.splice(i, 1), (edited = true))"
      @choose="$emit('choose', $event)"
    />
    <v-btn variant="text" size="small" @click="add()">Add a location</v-btn>

    <template v-if="said?.left.length">
      <h3 class="mt-3">Covered by none</h3>
      <ul class="left">
        <li v-for="n in said.left.slice(0, 8)" :key="n">
          <button type="button" class="mono wrap link" @click="$emit('choose', n)">{{ name(n) }}</button>
          <v-btn
            v-if="file(n)?.place"
            variant="text"
            size="x-small"
            @click="add(file(n)!.place, file(n)!.kind)"
            >Add as {{ holds[file(n)!.kind] }}</v-btn
          >
        </li>
      </ul>
      <p v-if="said.left.length > 8" class="quiet">
        and {{ count(said.left.length - 8, 'more file', 'more files') }}
      </p>
    </template>
    <template v-if="questions.length">
      <h3 class="mt-3">Questions</h3>
      <DraftQuestions
        :questions="questions"
        :answerable="!!bench.local"
        :busy="answers.isPending.value"
        @answer="answer"
      />
      <p v-if="changed" class="quiet small wrap mt-2" role="status">By your answer: {{ changed }}.</p>
      <p v-if="answers.error.value" role="alert" class="error small">{{ answers.error.value.message }}</p>
    </template>

    <p v-if="said?.error && locations.length" class="error small mt-2">{{ oneLine(said.error) }}</p>
    <div v-if="bench.saves" class="save">
      <v-btn
        color="primary"
        :loading="save.isPending.value"
        :disabled="!!refused || (!edited && digest !== '')"
        @click="write"
        >Save the draft</v-btn
      >
      <p class="quiet small wrap" role="status">
        <template v-if="save.isSuccess.value && !edited"
          >Saved. Next: <code>endroit submit {{ shellQuote(bench.saves) }}</code></template
        ><template v-else>to {{ oneLine(bench.saves) }}</template>
      </p>
    </div>
    <p v-if="save.error.value" role="alert" class="error">{{ save.error.value.message }}</p>
    <p v-if="feedback.error.value" role="alert" class="error">{{ feedback.error.value.message }}</p>
  </v-card>
</template>

<style scoped>
h2 {
  font-size: var(--text-body);
}

h3 {
  font-size: var(--text-note);
}

.small {
  font-size: var(--text-note);
}

.left {
  list-style: none;
  padding: 0;
}

.save {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: var(--space-2);
  margin-top: var(--space-3);
}

.error {
  color: rgb(var(--v-theme-error));
}
</style>
