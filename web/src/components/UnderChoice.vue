<script setup lang="ts">
import { ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'

/** Whom somebody works under who may not do a family of devices alone: that one countersigns. */
const props = defineProps<{ family: string; busy?: boolean }>()
const emit = defineEmits<{ chosen: [id: string] }>()
const { data: people } = useQuery(queries.supervisors(() => props.family))
const under = ref('')
const field = ref<HTMLSelectElement>()
const choose = () => (under.value ? emit('chosen', under.value) : field.value?.focus())
</script>

<template>
  <form class="mt-3 flex flex-wrap items-end gap-3" @submit.prevent="choose">
    <label class="block min-w-60">
      <span class="label">You work under</span>
      <select ref="field" v-model="under" name="under" class="field">
        <option value="">choose …</option>
        <option v-for="p in people" :key="p.id" :value="p.id">{{ p.name }}, {{ p.role }}</option>
      </select>
    </label>
    <button class="btn btn-main" :disabled="busy">Work under them</button>
  </form>
</template>
