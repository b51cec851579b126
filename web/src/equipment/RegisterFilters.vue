<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'
import { familyWords } from '../composables/words'
import { dues, states, type useRegister } from './useRegister'

/** What the register is filtered by. */
const props = defineProps<{ register: ReturnType<typeof useRegister>; families: string[] }>()
const { search, fields } = props.register
const { data: choices } = useQuery(queries.choices(() => fields.site.value))
const more = ref(!!(fields.model.value || fields.owner.value || fields.keeper.value || fields.part.value))
const selects = computed(() => [
  { name: 'family' as const, label: 'Family', any: 'every family', values: props.families, words: familyWords },
  { name: 'site' as const, label: 'Site', any: 'every site', values: choices.value?.sites ?? [] },
  ...(fields.site.value
    ? [{ name: 'place' as const, label: 'Place', any: 'every place', values: choices.value?.places ?? [] }]
    : []),
  { name: 'state' as const, label: 'It stands', any: 'any state', values: states },
  {
    name: 'due' as const,
    label: 'Next',
    any: 'any day',
    values: dues.map((d) => d.id),
    words: (id: string) => dues.find((d) => d.id === id)?.words ?? id,
  },
  { name: 'risk' as const, label: 'Risk', any: 'any', values: ['5', '4', '3', '2', '1'] },
  ...(more.value
    ? [
        { name: 'model' as const, label: 'Model', any: 'every model', values: choices.value?.models ?? [] },
        { name: 'owner' as const, label: 'Belongs to', any: 'anybody', values: choices.value?.owners ?? [] },
        { name: 'keeper' as const, label: 'Looked after by', any: 'anybody', values: choices.value?.keepers ?? [] },
      ]
    : []),
])
</script>

<template>
  <div class="flex flex-wrap items-end gap-x-3 gap-y-2">
    <label class="w-44"
      ><span class="label">Find</span
      ><input v-model="search" class="field" name="find" placeholder="tag, serial, model, place"
    /></label>
    <label v-for="s in selects" :key="s.name" :class="s.name === 'risk' ? 'w-20' : 'w-36'">
      <span class="label">{{ s.label }}</span>
      <select v-model="fields[s.name].value" class="field" :name="s.name">
        <option value="">{{ s.any }}</option>
        <option v-for="v in s.values" :key="v" :value="v">{{ 'words' in s && s.words ? s.words(v) : v }}</option>
        <option v-if="fields[s.name].value && !s.values.includes(fields[s.name].value)">
          {{ fields[s.name].value }}
        </option>
      </select>
    </label>
    <label v-if="more" class="w-44"
      ><span class="label">Part fitted</span
      ><input v-model.lazy.trim="fields.part.value" class="field" name="part" placeholder="its number or lot, whole"
    /></label>
    <button v-if="!more" class="btn btn-quiet" @click="more = true">More …</button>
  </div>
</template>
