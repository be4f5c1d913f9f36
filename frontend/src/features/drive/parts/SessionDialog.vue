<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, type SessionLine } from '@/shared/api/client'
import { count } from '@/shared/format'
import SessionForm from '@/features/drive/parts/SessionForm.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useRunsSettled } from '@/features/drive/runs'
import { useCombinations, useDrivers } from '@/shared/queries'

/** Put a session right: its conditions; merged with another one, split, or moved to where it belongs. */
const props = defineProps<{ id: string; line: SessionLine; others: SessionLine[] }>()
const emit = defineEmits<{ close: [] }>()
const settled = useRunsSettled()
const shown = ref(true)
const drivers = useDrivers()
const combinations = useCombinations()
const chosen = ref<string[]>([])
const keyOf = (run: { driver_id: string; number: number }) => `${run.driver_id} ${run.number}`
const runs = computed(() =>
  props.line.runs
    .filter((run) => chosen.value.includes(keyOf(run)))
    .map((run) => ({ driver_id: run.driver_id, number: run.number })),
)
const what = computed(() => (runs.value.length ? count(runs.value.length, 'run') : 'the whole session'))
const other = ref('')
const label = ref('')
const toDriver = ref('')
const toCombination = ref('')
const path = { session_id: props.line.practice.id }
const merge = useMutation({
  mutationFn: () =>
    answer(api.POST('/api/sessions/{session_id}/merge', { params: { path }, body: { other_id: other.value } })),
  onSuccess: done,
  onSettled: settled,
})
const split = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/sessions/{session_id}/split', {
        params: { path },
        body: { runs: runs.value, label: label.value.trim() || null },
      }),
    ),
  onSuccess: done,
  onSettled: settled,
})
const move = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/sessions/{session_id}/move', {
        params: { path },
        body: { runs: runs.value, combination_id: toCombination.value || null, driver_id: toDriver.value || null },
      }),
    ),
  onSuccess: done,
  onSettled: settled,
})
const said = ref('')
function done(moved: { laps: number; session: string; parts_lost: number }) {
  said.value = `${count(moved.laps, 'lap')} moved to session ${moved.session}${moved.parts_lost ? `; sector and corner times of ${moved.parts_lost} belonged to the other layout and were left away` : ''}. Ctrl Z takes it back.`
}
</script>

<template>
  <v-dialog v-model="shown" max-width="760" aria-labelledby="session-title" @after-leave="emit('close')">
    <div class="sheet part">
      <h2 id="session-title">Session {{ line.practice.label }}</h2>
      <p v-if="said" role="status" class="said">{{ said }}</p>
      <template v-else>
        <SessionForm :practice="line.practice" @close="shown = false" />
        <h3>Where its runs belong</h3>
        <fieldset>
          <legend class="quiet">Which runs? None ticked: the whole session.</legend>
          <label v-for="run in line.runs" :key="keyOf(run)"
            ><input v-model="chosen" type="checkbox" :value="keyOf(run)" /> {{ run.driver }}, run {{ run.number }}
            <span class="quiet">{{ count(run.laps, 'lap') }}</span></label
          >
        </fieldset>
        <TroubleNote :error="merge.error.value ?? split.error.value ?? move.error.value" />
        <form class="row" @submit.prevent="move.mutate()">
          <label
            >Move {{ what }} to
            <select v-model="toDriver" aria-label="To which driver">
              <option value="">the same driver</option>
              <option v-for="item in drivers.data.value?.items" :key="item.id" :value="item.id">{{ item.name }}</option>
            </select></label
          >
          <label
            >in
            <select v-model="toCombination" aria-label="To which combination">
              <option value="">this combination</option>
              <option
                v-for="item in combinations.data.value?.items.filter((one) => one.id !== id)"
                :key="item.id"
                :value="item.id"
              >
                {{ item.track }}, {{ item.layout }} · {{ item.car }}
              </option>
            </select></label
          >
          <WorkButton
            size="small"
            type="submit"
            variant="outlined"
            color="primary"
            :disabled="!toDriver && !toCombination"
            :loading="move.isPending.value"
            >Move</WorkButton
          >
        </form>
        <form v-draft="`split ${line.practice.id}`" class="row" @submit.prevent="split.mutate()">
          <label
            >Split {{ runs.length ? count(runs.length, 'run') : 'the ticked runs' }} off as
            <input v-model="label" class="field" maxlength="120" :placeholder="`${line.practice.label} (2)`"
          /></label>
          <WorkButton
            size="small"
            type="submit"
            variant="outlined"
            color="primary"
            :disabled="!runs.length || runs.length === line.runs.length"
            :loading="split.isPending.value"
            >Split</WorkButton
          >
        </form>
        <form v-if="others.length" class="row" @submit.prevent="merge.mutate()">
          <label
            >Take in all runs of
            <select v-model="other">
              <option value="">choose a session</option>
              <option v-for="item in others" :key="item.practice.id" :value="item.practice.id">
                {{ item.practice.label }} ({{ count(item.practice.laps, 'lap') }})
              </option>
            </select></label
          >
          <WorkButton
            size="small"
            type="submit"
            variant="outlined"
            color="primary"
            :disabled="!other"
            :loading="merge.isPending.value"
            >Merge</WorkButton
          >
        </form>
      </template>
      <div class="buttons"><v-btn variant="outlined" @click="shown = false">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
h3 {
  font-size: 1rem;
  margin-top: 14px;
}
fieldset {
  border: 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  max-height: 150px;
  overflow: auto;
}
legend {
  padding: 0;
}
.row label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.row select {
  max-width: 240px;
}
.said {
  margin: 10px 0;
}
</style>
