<script setup lang="ts">
import { useRoute, useRouter } from 'vue-router'

import SignInForm from './SignInForm.vue'

const route = useRoute()
const router = useRouter()

function onward() {
  const next = route.query.next
  // Only a path of this console: never another site.
  void router.replace(typeof next === 'string' && /^\/(?!\/)/.test(next) ? next : '/reviews')
}
</script>

<template>
  <div class="page">
    <div class="form">
      <h1 class="mb-2">Sign in</h1>
      <p class="quiet mb-4">
        Searching and copying need no account. Contributors see what became of their submissions here;
        reviewers decide on those of others. The operator of this service creates accounts.
      </p>
      <SignInForm @done="onward" />
    </div>
  </div>
</template>

<style scoped>
.form {
  max-width: 420px;
  margin: var(--space-6) auto;
}
</style>
