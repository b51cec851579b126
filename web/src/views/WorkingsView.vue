<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/vue'
import ErrorComponentsWorking from '../workings/ErrorComponentsWorking.vue'
import BudgetWorking from '../workings/BudgetWorking.vue'
import CorrectionWorking from '../workings/CorrectionWorking.vue'
import CylinderWorking from '../workings/CylinderWorking.vue'
import ComparisonWorking from '../workings/ComparisonWorking.vue'
import ConcentrationWorking from '../workings/ConcentrationWorking.vue'
import DilutionWorking from '../workings/DilutionWorking.vue'
import EconomicsWorking from '../workings/EconomicsWorking.vue'
import GasWorking from '../workings/GasWorking.vue'
import ToleranceWorking from '../workings/ToleranceWorking.vue'
import WeighingWorking from '../workings/WeighingWorking.vue'
import WeightsWorking from '../workings/WeightsWorking.vue'

/** The calculators by themselves, computed by the same core as a run. */
const props = defineProps<{ tool?: string }>()
const router = useRouter()
const tools = [
  { id: 'gas', title: 'Gas conditions', is: GasWorking },
  { id: 'budget', title: 'Uncertainty budget', is: BudgetWorking },
  { id: 'tolerance', title: 'Tolerance and risk', is: ToleranceWorking },
  { id: 'anatomy', title: 'Error anatomy', is: ErrorComponentsWorking },
  { id: 'correction', title: 'Meter correction', is: CorrectionWorking },
  { id: 'cylinder', title: 'Cylinder', is: CylinderWorking },
  { id: 'weighing', title: 'Pump weighing', is: WeighingWorking },
  { id: 'weights', title: 'Weights and limits', is: WeightsWorking },
  { id: 'dilution', title: 'Dilution plan', is: DilutionWorking },
  { id: 'concentration', title: 'Concentration', is: ConcentrationWorking },
  { id: 'comparison', title: 'Method comparison', is: ComparisonWorking },
  { id: 'economics', title: 'Worth calibrating?', is: EconomicsWorking },
]
const at = computed(() =>
  Math.max(
    0,
    tools.findIndex((t) => t.id === props.tool),
  ),
)
const open = (i: number) => router.replace({ name: 'workings', params: { tool: tools[i]!.id } })
</script>

<template>
  <main class="mx-auto max-w-[1400px] p-4 sm:p-6">
    <h1 class="text-3xl">Workings</h1>
    <TabGroup :selected-index="at" @change="open">
      <TabList class="mt-3 flex flex-wrap gap-x-6 border-b-2 border-ink">
        <Tab v-for="t in tools" :key="t.id" v-slot="{ selected }" as="template">
          <button
            class="min-h-11 border-b-[3px] px-1"
            :class="selected ? 'border-brass font-bold' : 'border-transparent text-ink-2 hover:text-ink'"
          >
            {{ t.title }}
          </button>
        </Tab>
      </TabList>
      <TabPanels class="mt-6">
        <TabPanel v-for="t in tools" :key="t.id"><component :is="t.is" /></TabPanel>
      </TabPanels>
    </TabGroup>
  </main>
</template>
