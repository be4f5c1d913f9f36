<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { answer, api, version, type LapOnSheet, type RunContext } from '@/shared/api/client'
import { count, moment, temperature } from '@/shared/format'
import AskedDialog from '@/features/drive/parts/AskedDialog.vue'
import ContextForm from '@/features/drive/parts/ContextForm.vue'
import AccountPart from '@/features/find/parts/AccountPart.vue'
import DriveHead from '@/features/drive/parts/DriveHead.vue'
import FeelForm from '@/features/drive/parts/FeelForm.vue'
import LapCells from '@/features/drive/parts/LapCells.vue'
import LapsChange from '@/features/drive/parts/LapsChange.vue'
import RemarkForm from '@/features/drive/parts/RemarkForm.vue'
import SeatNote from '@/features/drive/parts/SeatNote.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { contextWords, nameOf, runPath, runPlace, skipped, useRunsSettled } from '@/features/drive/runs'

const props = defineProps<{ id: string; session: string; driver: string; run: string }>()
const router = useRouter()
const settled = useRunsSettled()
const key = computed(() => ({ session_id: props.session, driver_id: props.driver, number: Number(props.run) }))
const sheet = useQuery({
  queryKey: ['run', key],
  queryFn: () =>
    answer(
      api.GET('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}', { params: { path: runPath(key.value) } }),
    ),
})
const shown = computed(() => sheet.data.value)
const laps = computed(() => shown.value?.laps ?? [])
const template = useQuery({
  queryKey: ['template', () => props.id, () => props.driver],
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/template', {
        params: { path: { combination_id: props.id, driver_id: props.driver } },
      }),
    ),
})

const ticked = ref<number[]>([])
const at = ref(0)
const rows = ref<HTMLTableSectionElement>()
const boxes = () => [...(rows.value?.querySelectorAll<HTMLInputElement>('input[type=checkbox]') ?? [])]
/** The laps that an act is about: those that are ticked, else the one where the keyboard is. */
const meant = computed(() =>
  ticked.value.length
    ? laps.value.filter((lap) => ticked.value.includes(lap.number))
    : laps.value.slice(at.value, at.value + 1),
)
watch(key, () => Object.assign(ticked, { value: [] }) && (at.value = 0))
const panel = ref<'change' | 'remark' | 'context' | ''>('')
const about = ref<LapOnSheet[]>([])
const asking = ref(false)

const turn = useMutation({
  mutationFn: (some: LapOnSheet[]) =>
    answer(
      api.PUT('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/marks', {
        params: { path: runPath(key.value) },
        body: { versions: Object.fromEntries(some.map((lap) => [lap.number, lap.version])), marks: null },
      }),
    ),
  onSettled: settled,
})
const unsay = useMutation({
  mutationFn: (id: string) => answer(api.DELETE('/api/remarks/{remark_id}', { params: { path: { remark_id: id } } })),
  onSettled: settled,
})

// What the run was.
const context = ref<RunContext>()
const wrong = ref('')
const say = useMutation({
  mutationFn: (given: RunContext) =>
    shown.value?.run.id
      ? answer(
          api.PUT('/api/runs/{run_id}', {
            params: { path: { run_id: shown.value.run.id }, header: version(shown.value.run.version) },
            body: given,
          }),
        )
      : answer(
          api.PUT('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/declaration', {
            params: { path: runPath(key.value) },
            body: given,
          }),
        ),
  onSuccess: () => (panel.value = ''),
  onSettled: settled,
})
function openContext() {
  context.value = JSON.parse(JSON.stringify(shown.value?.run.context ?? {})) as RunContext
  panel.value = 'context'
}
const confirm = () =>
  shown.value &&
  !shown.value.declared &&
  !say.isPending.value &&
  say.mutate(JSON.parse(JSON.stringify(shown.value.run.context)) as RunContext)

function open(which: 'change' | 'remark', some: LapOnSheet[]) {
  about.value = some
  panel.value = some.length ? which : ''
}
async function close() {
  panel.value = ''
  await nextTick()
  boxes()[at.value]?.focus()
}
function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    target.closest('input:not([type=checkbox]), select, textarea, [role=dialog]')
  )
    return
  const pressed = event.key.toLowerCase()
  const step = { arrowdown: 1, arrowup: -1, j: 1, k: -1 }[pressed]
  if (step && laps.value.length) {
    event.preventDefault()
    const inside = rows.value?.contains(document.activeElement)
    at.value = inside ? Math.max(0, Math.min(laps.value.length - 1, at.value + step)) : at.value
    boxes()[at.value]?.focus()
  } else if (pressed === 'x' && meant.value.length) {
    event.preventDefault()
    turn.mutate(meant.value.filter((lap) => lap.kind === 'flying'))
  } else if (pressed === 'r' && meant.value.length) {
    event.preventDefault()
    open('remark', meant.value.slice(0, 1))
  } else if (pressed === 'e' && meant.value.length) {
    event.preventDefault()
    open('change', meant.value)
  } else if (pressed === 'a') {
    event.preventDefault()
    ticked.value = ticked.value.length === laps.value.length ? [] : laps.value.map((lap) => lap.number)
  } else if (pressed === 'c') {
    event.preventDefault()
    confirm()
  } else if (pressed === 'escape' && panel.value) void close()
  else if (pressed === 'arrowleft' && shown.value?.before) void router.push(runPlace(props.id, shown.value.before))
  else if (pressed === 'arrowright' && shown.value?.after) void router.push(runPlace(props.id, shown.value.after))
}
useEventListener(window, 'keydown', onKey)

const hasSectors = computed(() => laps.value.some((lap) => Object.keys(lap.sectors).length))
const best = computed(() =>
  Math.min(...laps.value.filter((lap) => lap.kind === 'flying' && lap.counts).map((lap) => lap.time_us)),
)
const counting = computed(() => laps.value.filter((lap) => lap.counts).length)
const flying = computed(() => laps.value.filter((lap) => lap.kind === 'flying').length)
const questions = computed(() => laps.value.reduce((sum, lap) => sum + lap.asked.length, 0))
</script>

<template>
  <DriveHead :id="id" :title="shown ? `${shown.run.driver}, run ${run}` : 'Run'" still />
  <SeatNote :driver="driver" />
  <TroubleNote :error="sheet.error.value ?? turn.error.value ?? unsay.error.value" :again="() => sheet.refetch()" />
  <SkeletonRows v-if="sheet.isPending.value" :rows="10" label="Loading the run" />
  <template v-if="shown">
    <p class="quiet lead">
      Session {{ shown.practice.label
      }}<template v-if="laps[0]?.started_at"> · {{ moment(laps[0].started_at) }}</template> ·
      {{ count(counting, 'lap') }} of {{ flying }} flying count<template v-if="shown.run.guest">
        · a guest’s, for comparison only</template
      >
      <span class="walk"
        ><RouterLink :to="{ name: 'accounts', params: { id, driver }, query: { run: `${session} ${run}` } }"
          >Where every thousandth went</RouterLink
        >
        <RouterLink v-if="shown.before" :to="runPlace(id, shown.before)">← run before</RouterLink>
        <RouterLink v-if="shown.after" :to="runPlace(id, shown.after)">run after →</RouterLink></span
      >
    </p>
    <div class="columns">
      <section class="main" aria-label="Laps">
        <div v-if="panel === 'remark' && about[0]">
          <RemarkForm :key="about[0].number" :sheet="shown" :run-key="key" :lap="about[0].number" @close="close" />
        </div>
        <div v-else-if="panel === 'change'">
          <LapsChange
            :key="about.map((lap) => lap.number).join()"
            :sheet="shown"
            :run-key="key"
            :laps="about"
            @close="close"
          />
        </div>
        <div class="sheet laps-sheet">
          <div class="bar">
            <span
              ><b>{{ ticked.length ? count(ticked.length, 'lap') : `Lap ${meant[0]?.number ?? ''}` }}</b></span
            >
            <button
              type="button"
              class="link"
              :disabled="!meant.some((lap) => lap.kind === 'flying')"
              @click="turn.mutate(meant.filter((lap) => lap.kind === 'flying'))"
            >
              Counts, or doesn’t <kbd>X</kbd>
            </button>
            <button type="button" class="link" @click="open('change', meant)">Facts and marks <kbd>E</kbd></button>
            <button type="button" class="link" @click="open('remark', meant.slice(0, 1))">Remark <kbd>R</kbd></button>
            <RouterLink
              v-if="meant.some((lap) => lap.has_trace)"
              :to="{
                name: 'traces',
                params: { id },
                query: {
                  lap: meant
                    .filter((lap) => lap.has_trace)
                    .slice(0, 12)
                    .map((lap) => `${session}:${driver}:${run}:${lap.number}`),
                },
              }"
              >{{ meant.length > 1 ? 'Their traces' : 'Its trace' }}</RouterLink
            >
            <button v-if="questions" type="button" class="link asks" @click="asking = true">
              {{ count(questions, 'question') }}
            </button>
          </div>
          <div class="scroll-x">
            <table class="ledger">
              <thead>
                <tr>
                  <th scope="col">
                    <label
                      ><span class="visually-hidden">All laps</span
                      ><input
                        type="checkbox"
                        :checked="ticked.length === laps.length"
                        @change="ticked = ticked.length === laps.length ? [] : laps.map((lap) => lap.number)"
                    /></label>
                  </th>
                  <th scope="col" class="number">Lap</th>
                  <th scope="col" class="number">Time</th>
                  <template v-if="hasSectors"
                    ><th v-for="code in shown.sectors" :key="code" scope="col" class="number">{{ code }}</th></template
                  >
                  <th scope="col">Counts</th>
                  <th scope="col">Why</th>
                  <th scope="col">Tyres</th>
                  <th scope="col">Said of it</th>
                </tr>
              </thead>
              <tbody ref="rows">
                <tr v-for="(lap, index) in laps" :key="lap.number" :class="{ here: index === at, not: !lap.counts }">
                  <td>
                    <input
                      v-model="ticked"
                      type="checkbox"
                      :value="lap.number"
                      :aria-label="`Lap ${lap.number}`"
                      :tabindex="index === at ? 0 : -1"
                      @focus="at = index"
                    />
                  </td>
                  <LapCells
                    :sheet="shown"
                    :lap="lap"
                    :best="best"
                    :has-sectors="hasSectors"
                    @unsay="unsay.mutate($event)"
                  />
                </tr>
              </tbody>
            </table>
          </div>
          <p class="quiet small foot" aria-live="polite">
            <template v-if="meant[0]"
              >Lap {{ meant[0].number }}: {{ meant[0].why
              }}<template v-if="meant[0].track_temp_c !== null">
                Track {{ temperature(meant[0].track_temp_c) }}, air {{ temperature(meant[0].air_temp_c) }}.</template
              ></template
            >
          </p>
        </div>
      </section>
      <div class="side">
        <section class="sheet part" aria-labelledby="was-title">
          <h2 id="was-title">What it was</h2>
          <TroubleNote :error="say.error.value" />
          <template v-if="panel !== 'context'">
            <p v-if="!shown.declared" class="supposed" role="status">
              Arrived undeclared. Supposed, as in the run before:
              {{ contextWords(shown.run.context) || 'nothing is known' }}.
            </p>
            <p v-else>{{ contextWords(shown.run.context) || 'Nothing was said of it.' }}</p>
            <p v-if="shown.run.context.watch?.length">Watch: {{ shown.run.context.watch.join('; ') }}</p>
            <p v-if="skipped(shown.run).length" class="ochre">
              Skipped before the run: {{ skipped(shown.run).join('; ') }}
            </p>
            <div class="buttons">
              <WorkButton
                v-if="!shown.declared"
                size="small"
                color="primary"
                :loading="say.isPending.value"
                @click="confirm()"
                >Confirm <kbd>C</kbd></WorkButton
              >
              <v-btn size="small" variant="outlined" @click="openContext">{{
                shown.declared ? 'Change' : 'Say what it was'
              }}</v-btn>
            </div>
          </template>
          <form
            v-else-if="context"
            v-draft="`context of ${nameOf(key)}`"
            @submit.prevent="wrong ? undefined : say.mutate(context)"
          >
            <ContextForm
              v-model="context"
              :template="template.data.value"
              :supposed="shown.supposed"
              @wrong="wrong = $event"
            />
            <div class="buttons">
              <WorkButton size="small" type="submit" color="primary" :disabled="!!wrong" :loading="say.isPending.value"
                >Keep</WorkButton
              >
              <v-btn size="small" variant="outlined" @click="panel = ''">Leave it</v-btn>
              <span class="quiet" role="status">{{ wrong }}</span>
            </div>
          </form>
        </section>
        <section v-if="shown.before" class="sheet part" aria-labelledby="changed-title">
          <h2 id="changed-title">Since the run before</h2>
          <p v-if="!shown.changes.length" class="quiet">Nothing changed that is known.</p>
          <ul v-else>
            <li v-for="words in shown.changes" :key="words">{{ words }}</li>
          </ul>
          <p v-if="shown.together" class="ochre">{{ shown.together }}</p>
        </section>
        <FeelForm :key="`${session} ${driver} ${run}`" :sheet="shown" :run-key="key" />
      </div>
    </div>
    <AccountPart :id="id" :driver="driver" :run="`${session} ${run}`" />
  </template>
  <AskedDialog v-if="asking" :id="id" @close="asking = false" />
</template>

<style scoped src="@/features/drive/run.css"></style>
