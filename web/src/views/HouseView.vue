<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/vue'
import { useSession } from '../composables/useSession'
import DaySheet from '../house/DaySheet.vue'
import FiguresSheet from '../house/FiguresSheet.vue'
import HandsSheet from '../house/HandsSheet.vue'
import ImportSheet from '../house/ImportSheet.vue'
import LabSheet from '../house/LabSheet.vue'
import PaperSheet from '../house/PaperSheet.vue'
import PeopleSheet from '../house/PeopleSheet.vue'
import ProceduresSheet from '../house/ProceduresSheet.vue'
import TellingSheet from '../house/TellingSheet.vue'
import SecuritySheet from '../house/SecuritySheet.vue'
import RecordSheet from '../house/RecordSheet.vue'

/** How the workshop is set up. */
const props = defineProps<{ sheet?: string }>()
const router = useRouter()
const { can } = useSession()
const all = [
  { id: 'people', title: 'People', is: PeopleSheet },
  { id: 'lab', title: 'How we judge', is: LabSheet },
  { id: 'papers', title: 'Certificates', is: PaperSheet },
  { id: 'day', title: 'Places and hours', is: DaySheet },
  { id: 'figures', title: 'Intervals and prices', is: FiguresSheet },
  { id: 'procedures', title: 'Procedures', is: ProceduresSheet },
  { id: 'lists', title: 'Lists in and out', is: ImportSheet },
  { id: 'told', title: 'Who is told', is: TellingSheet },
  { id: 'hands', title: 'Scanner, pedal, labels', is: HandsSheet },
  { id: 'record', title: 'The record', is: RecordSheet },
  { id: 'security', title: 'Security', is: SecuritySheet },
]
/** An administrator keeps people and copies; whoever works here sees all but what was tried at the door. */
const sheets = all.filter((s) =>
  can('look') ? s.id !== 'security' || can('keep people') : ['people', 'record', 'security'].includes(s.id),
)
const at = computed(() =>
  Math.max(
    0,
    sheets.findIndex((s) => s.id === props.sheet),
  ),
)
const open = (i: number) => router.replace({ name: 'house', params: { sheet: sheets[i]!.id } })
</script>

<template>
  <main class="mx-auto max-w-[1400px] p-4 sm:p-6">
    <h1 class="text-3xl">House</h1>
    <TabGroup :selected-index="at" @change="open">
      <TabList class="mt-3 flex flex-wrap gap-x-6 border-b-2 border-ink">
        <Tab v-for="s in sheets" :key="s.id" v-slot="{ selected }" as="template">
          <button
            class="min-h-11 border-b-[3px] px-1"
            :class="selected ? 'border-brass font-bold' : 'border-transparent text-ink-2 hover:text-ink'"
          >
            {{ s.title }}
          </button>
        </Tab>
      </TabList>
      <TabPanels class="mt-6">
        <TabPanel v-for="s in sheets" :key="s.id"><component :is="s.is" /></TabPanel>
      </TabPanels>
    </TabGroup>
  </main>
</template>
