<script setup lang="ts">
import { computed } from 'vue'
import SectionTitle from '../components/SectionTitle.vue'
import FormFields from './FormFields.vue'
import FormNode from './FormNode.vue'
import RoleCards from './RoleCards.vue'
import StepCards from './StepCards.vue'
import { resolved, shapeOf, whole } from './shape'
import { useWriting } from './useWriting'

/** A procedure as a form: every field of it, in the order in which a run goes. */
const writing = useWriting()
const of = (name: string) => resolved(whole).properties![name]!
const readable = computed(() => writing.readable.value)
</script>

<template>
  <p v-if="!readable" class="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
    The text cannot be read as it stands: mend it there, and the form comes back. Nothing of it is lost.
  </p>
  <div v-else class="grid gap-7">
    <section>
      <SectionTitle class="mb-3">What it is</SectionTitle>
      <FormFields :path="[]" :shape="whole" />
    </section>
    <section>
      <SectionTitle class="mb-3">Cautions</SectionTitle>
      <FormNode :path="['cautions']" :shape="of('cautions')" definition="Definition" required bare />
      <p class="text-sm text-ink-2">One a line. They are read before anything else, and stand on every paper.</p>
    </section>
    <section>
      <SectionTitle class="mb-3">What it is checked against</SectionTitle>
      <RoleCards />
    </section>
    <section>
      <SectionTitle class="mb-3">Steps, in their order</SectionTitle>
      <StepCards />
    </section>
    <section data-field="next">
      <SectionTitle class="mb-3">When it is due again</SectionTitle>
      <FormFields :path="['next']" :shape="shapeOf('Next')" />
    </section>
  </div>
</template>
