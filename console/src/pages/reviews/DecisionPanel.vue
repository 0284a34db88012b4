<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'

import { vCursor } from '../../focus'
import { ProblemError, type Schemas } from '../../api/client'
import { signInWanted, useAccept, useReturn } from '../../queries'
import { moment } from '../../words'

/** What became of a contribution, or the buttons that decide on it. */
const props = defineProps<{ contribution: Schemas['ContributionShown'] }>()

const accept = useAccept()
const returnIt = useReturn()
const asking = ref<'accept' | 'return' | ''>('')
// What is typed is kept until it is sent, whatever becomes of the page.
const draftKey = computed(() => `because-${props.contribution.number}`)
const because = ref(sessionStorage.getItem(draftKey.value) ?? '')
watch(because, (text) => sessionStorage.setItem(draftKey.value, text))
const panel = ref<{ $el: HTMLElement }>()
const failed = computed(() => accept.error.value ?? returnIt.error.value)
const busy = computed(() => accept.isPending.value || returnIt.isPending.value)

async function decide() {
  const number = props.contribution.number
  try {
    if (asking.value === 'accept') await accept.mutateAsync(number)
    else await returnIt.mutateAsync({ number, because: because.value })
  } catch (error) {
    if (error instanceof ProblemError && error.problem.status === 401) signInWanted.value = true
    return // the panel says why
  }
  sessionStorage.removeItem(draftKey.value)
  asking.value = ''
  await nextTick()
  panel.value?.$el.focus()
}
</script>

<template>
  <v-card
    ref="panel"
    class="pa-4 panel"
    role="region"
    aria-label="Decision"
    tabindex="-1"
    @keydown.esc="asking = ''"
  >
    <p v-if="failed" class="failed mb-2" role="alert">{{ failed.message }}</p>
    <template v-if="contribution.state === 'accepted'">
      <p>
        <strong>Accepted</strong> by {{ contribution.decided_by || 'somebody'
        }}<template v-if="contribution.decided">, {{ moment(contribution.decided) }}</template
        >.
        <template v-if="contribution.revision !== null"
          >It is in <router-link to="/revisions">revision {{ contribution.revision }}</router-link> of the
          manifest.</template
        >
        <template v-else>It will be published within seconds.</template>
      </p>
    </template>
    <template v-else-if="contribution.state === 'returned'">
      <p><strong>Returned</strong> by {{ contribution.decided_by || 'somebody' }}:</p>
      <p class="because wrap">{{ contribution.because }}</p>
    </template>
    <template v-else-if="contribution.may_decide">
      <template v-if="asking === ''">
        <p class="mb-3">Waits for your decision.</p>
        <v-btn
          color="primary"
          class="mr-2"
          :disabled="contribution.conflicts.length > 0 || !!contribution.refused"
          @click="asking = 'accept'"
          >Accept…</v-btn
        >
        <v-btn variant="outlined" @click="asking = 'return'">Return…</v-btn>
        <span v-if="contribution.conflicts.length" class="failed ml-3"
          >It overlaps another title’s files; see below.</span
        >
        <span v-else-if="contribution.refused" class="failed ml-3">It cannot be accepted; see below.</span>
      </template>
      <template v-else-if="asking === 'accept'">
        <p class="mb-3">
          What is accepted is published within seconds, and a published revision never changes. People will
          let programs overwrite and delete what these locations match.
        </p>
        <v-btn color="primary" class="mr-2" :loading="busy" @click="decide">Accept and publish</v-btn>
        <v-btn variant="text" @click="asking = ''">Not yet</v-btn>
      </template>
      <form v-else @submit.prevent="decide">
        <v-textarea
          v-model="because"
          v-cursor
          label="Why, and what should be fixed"
          rows="3"
          auto-grow
          maxlength="2000"
          counter="2000"
        />
        <v-btn type="submit" color="primary" class="mr-2" :loading="busy" :disabled="!because.trim()"
          >Return to {{ contribution.by || 'somebody' }}</v-btn
        >
        <v-btn variant="text" @click="asking = ''">Not yet</v-btn>
      </form>
    </template>
    <p v-else>Waits for a reviewer. You cannot decide: {{ contribution.cannot_decide_reason }}.</p>
  </v-card>
</template>

<style scoped>
.panel {
  border-left: 4px solid rgb(var(--v-theme-primary));
}

.because {
  white-space: pre-line;
}

.failed {
  color: rgb(var(--v-theme-error));
}
</style>
