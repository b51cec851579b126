<script setup lang="ts">
import AlertNote from '../components/AlertNote.vue'
import UnderChoice from '../components/UnderChoice.vue'
import { useRunHandle } from './runHandle'

/** Why something was not recorded, and the way out. */
defineEmits<{ early: [] }>()
const { run, problem, refused, waiting, unkept, send } = useRunHandle()
const eventWords: Record<string, string> = {
  ReadingCaptured: 'a reading was taken',
  StageStarted: 'a stage was started',
  StageStopped: 'the time of a stage was stopped',
  ReadingWithdrawn: 'a reading was withdrawn',
  CheckAnswered: 'a check was answered',
  StepDone: 'a step was done',
  PhaseClosed: 'a phase was closed',
  FindingDecided: 'a finding was decided',
  AdjustmentMade: 'an adjustment was noted',
  NoteAdded: 'a note was added',
  StandardBound: 'a reference was chosen',
  LooseEndOpened: 'a loose end was opened',
  LooseEndClosed: 'a loose end was closed',
}
</script>

<template>
  <div v-if="waiting" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2" role="status">
    <template v-if="unkept"
      >Not recorded yet: the server does not answer, and this browser has no room to keep it. Leave this page open until
      it is sent, or write it down.</template
    ><template v-else>Not recorded yet: the server does not answer. It is sent once by itself when it does.</template>
  </div>
  <AlertNote v-else-if="problem" class="mt-3">
    <p>{{ problem.detail }}</p>
    <ul v-if="problem.since?.length" class="mt-1 text-sm">
      <li v-for="s in problem.since" :key="s.seq">
        <span class="num">{{ s.at }}</span> {{ s.by }}: {{ eventWords[s.kind] ?? 'the run went on' }}
      </li>
    </ul>
    <button
      v-if="(problem.code === 'magnitude' || problem.code === 'height') && refused"
      class="btn mt-2"
      @click="send({ ...refused, confirmed: true })"
    >
      Yes, it shows that
    </button>
    <button v-if="problem.code === 'not-steady' || problem.code === 'short'" class="btn mt-2" @click="$emit('early')">
      Take it all the same
    </button>
    <UnderChoice
      v-if="problem.code === 'not-alone' && run"
      :family="run.device.family"
      @chosen="(under: string) => send({ kind: 'work-under', under })"
    />
  </AlertNote>
</template>
