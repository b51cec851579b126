<script setup lang="ts">
import PasswordForm from '../components/PasswordForm.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { useSession } from '../composables/useSession'

/** What is one's own: the password. */
const { person } = useSession()
</script>

<template>
  <main v-if="person" class="p-6">
    <h1 class="text-2xl">{{ person.name }}</h1>
    <p class="text-ink-2">{{ person.role }}</p>
    <SectionTitle class="mt-6 mb-3">Password</SectionTitle>
    <PasswordForm />
  </main>
</template>
