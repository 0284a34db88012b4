<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { vCursor } from '../focus'
import { useSignIn } from '../queries'

const route = useRoute()
const router = useRouter()
const signIn = useSignIn()
const name = ref('')
const password = ref('')

async function submit() {
  try {
    await signIn.mutateAsync({ name: name.value.trim(), password: password.value })
  } catch {
    password.value = ''
    return // the form says why
  }
  const next = route.query.next
  // Only a path of this console: never another site.
  await router.replace(typeof next === 'string' && /^\/(?!\/)/.test(next) ? next : '/reviews')
}
</script>

<template>
  <div class="page">
    <form class="form" @submit.prevent="submit">
      <h1 class="mb-2">Sign in</h1>
      <p class="quiet mb-4">
        Searching and copying need no account. Contributors see what became of their submissions here;
        reviewers decide on those of others. Whoever runs this service makes accounts.
      </p>
      <v-text-field
        v-model="name"
        v-cursor
        label="Name"
        name="name"
        autocomplete="username"
        autocapitalize="none"
        required
      />
      <v-text-field
        v-model="password"
        label="Password"
        name="password"
        type="password"
        autocomplete="current-password"
        required
      />
      <p v-if="signIn.error.value" class="error mb-3" role="alert">{{ signIn.error.value.message }}</p>
      <v-btn type="submit" color="primary" :loading="signIn.isPending.value" :disabled="!name || !password"
        >Sign in</v-btn
      >
    </form>
  </div>
</template>

<style scoped>
.form {
  max-width: 420px;
  margin: 24px auto;
}

.error {
  color: rgb(var(--v-theme-error));
}
</style>
