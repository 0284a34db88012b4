<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { ProblemError, type Schemas } from '../../api/client'
import FoldedPart from '../../components/FoldedPart.vue'
import { signInWanted, useSession, useSubmit } from '../../queries'
import { holds, shellQuote } from '../../words'
import { body, kinds, newKey, type Change } from './putright'

/** Proposes a change of a title or of one of its locations, which another person accepts. */
const props = defineProps<{ title: Schemas['Title'] }>()

const session = useSession()
const person = computed(() => session.data.value?.person?.name)
const submit = useSubmit()

const empty = (): Change => ({ kind: 'add-name', text: '', more: '', because: '' })
const change = ref<Change>(empty())
/** Sent again, it is the same contribution. */
const key = ref(newKey())
const kind = computed(() => kinds[change.value.kind])
const choices = Object.entries(kinds).map(([value, k]) => ({ value, title: k.asks }))
watch(
  () => change.value.kind,
  () => submit.reset(),
)

const places = computed(() =>
  props.title.variants.flatMap((v) =>
    v.locations
      .filter((l) => l.standing !== 'withdrawn')
      .map((l) => ({
        place: {
          variant: { store: v.store, ref: v.ref, launcher: v.launcher, os: v.os, runtime: v.runtime },
          at: l.at,
          holds: l.holds,
        },
        title: `${l.at} (${holds[l.holds] ?? l.holds})`,
        subtitle: v.name,
      })),
  ),
)
const placeItems = computed(() =>
  places.value.map((p, value) => ({ value, title: p.title, props: { subtitle: p.subtitle } })),
)
const chosen = ref<number>()
const ready = computed(
  () =>
    change.value.because.trim() !== '' &&
    (!kind.value.place || chosen.value !== undefined) &&
    (!kind.value.text || change.value.text.trim() !== '' || change.value.more.trim() !== ''),
)

async function send() {
  try {
    await submit.mutateAsync({
      key: key.value,
      body: body(props.title, change.value, places.value[chosen.value ?? -1]?.place),
    })
  } catch (error) {
    if (error instanceof ProblemError && error.problem.status === 401) signInWanted.value = true
    return // the form says why
  }
  change.value = { ...empty(), kind: change.value.kind }
  key.value = newKey()
}
</script>

<template>
  <section class="mt-5" aria-label="Put something right">
    <FoldedPart title="Something is wrong here?">
      <p class="quiet mt-2 mb-3 intro">
        Propose a change; a second person reviews it. A location that a run contradicts is disputed with the
        trace of that run:
        <span class="mono">endroit change dispute {{ shellQuote(title.name) }} LOCATION --trace TRACE</span>.
      </p>
      <p v-if="!person">
        <router-link to="/sign-in">Sign in</router-link> to propose a change here, or see
        <span class="mono">endroit change --help</span>.
      </p>
      <form v-else class="form" @submit.prevent="send">
        <v-select v-model="change.kind" :items="choices" label="What is to change" />
        <v-select v-if="kind.place" v-model="chosen" :items="placeItems" label="Location" />
        <div class="pair">
          <v-text-field v-if="kind.text" v-model="change.text" :label="kind.text" maxlength="1024" />
          <v-text-field v-if="kind.more" v-model="change.more" :label="kind.more" maxlength="200" />
        </div>
        <v-textarea
          v-model="change.because"
          label="Why, so that a reviewer can check it"
          rows="2"
          maxlength="2000"
          auto-grow
        />
        <p v-if="submit.error.value" class="failed mb-2" role="alert">{{ submit.error.value.message }}</p>
        <p v-if="submit.data.value" class="mb-2" role="status">
          It waits for a reviewer as
          <router-link :to="`/reviews/${submit.data.value.number}`"
            >contribution {{ submit.data.value.number }}</router-link
          >.
        </p>
        <v-btn type="submit" color="primary" :disabled="!ready" :loading="submit.isPending.value"
          >Propose it</v-btn
        >
      </form>
    </FoldedPart>
  </section>
</template>

<style scoped>
.intro {
  max-width: 80ch;
}

.form {
  max-width: 720px;
}

.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
  gap: 0 var(--space-3);
}

.failed {
  color: rgb(var(--v-theme-error));
}
</style>
