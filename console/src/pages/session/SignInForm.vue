<script setup lang="ts">
import { ref } from 'vue'

import { vCursor } from '../../focus'
import { useSignIn } from '../../queries'

/** Name and password; done is told once they are accepted. */
const emit = defineEmits<{ done: [] }>()
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
  emit('done')
}
</script>

<template>
  <form @submit.prevent="submit">
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
    <v-alert
      v-if="signIn.error.value"
      type="error"
      variant="tonal"
      density="compact"
      class="mb-3"
      role="alert"
      >{{ signIn.error.value.message }}</v-alert
    >
    <v-btn type="submit" color="primary" :loading="signIn.isPending.value" :disabled="!name || !password"
      >Sign in</v-btn
    >
  </form>
</template>
