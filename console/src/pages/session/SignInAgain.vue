<script setup lang="ts">
import { signInWanted } from '../../queries'
import SignInForm from './SignInForm.vue'

/** Signs in over the page that one is on, so that nothing on it is lost. */
</script>

<template>
  <v-dialog v-model="signInWanted" max-width="420" aria-labelledby="again">
    <v-card class="pa-6">
      <h2 id="again" class="mb-3">Sign in again</h2>
      <SignInForm @done="signInWanted = false" />
    </v-card>
  </v-dialog>
</template>
