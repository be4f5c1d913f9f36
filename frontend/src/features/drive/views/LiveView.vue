<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, type LiveRun } from '@/shared/api/client'
import RunDots from '@/shared/charts/RunDots.vue'
import { clock, count, gap, lapTime, moment } from '@/shared/format'
import LiveRemark from '@/features/drive/parts/LiveRemark.vue'
import SeatNote from '@/features/drive/parts/SeatNote.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { KINDS, PURPOSES, runPlace } from '@/features/drive/runs'
import { useMay } from '@/shared/session'

/** Who drives now: each driver's run as its laps arrive, against its purpose and its pass mark. */
const may = useMay()
const all = computed(() => may('laps.deliver'))
const queries = useQueryClient()
const live = useQuery({ queryKey: ['live'], queryFn: () => answer(api.GET('/api/live')), refetchInterval: 20_000 })
const troubles = useQuery({
  queryKey: ['live-troubles'],
  enabled: all,
  queryFn: () => answer(api.GET('/api/live/troubles')),
})
const again = useMutation({
  mutationFn: () => answer(api.POST('/api/live/troubles/again')),
  onSettled: () => queries.invalidateQueries({ queryKey: ['live-troubles'] }),
})
const runs = computed(() => live.data.value?.runs ?? [])
const waiting = computed(() => live.data.value?.waiting ?? [])
/** Now, for how long ago a lap was. */
const now = ref(Date.now())
useIntervalFn(() => (now.value = Date.now()), 5000)
const keyOf = (run: LiveRun) => `${run.driver_id} ${run.session_id} ${run.number}`
const last = (run: LiveRun) => run.laps.at(-1)
/** What has just come is told once, and marked for a while. */
const news = ref('')
const fresh = ref(new Set<string>())
const seen = new Map<string, number>()
watch(
  runs,
  (list) => {
    const words: string[] = []
    for (const run of list) {
      const lap = last(run)
      const before = seen.get(keyOf(run))
      if (lap && before !== undefined && lap.number > before) {
        words.push(`${run.driver}, lap ${lap.number}: ${lapTime(lap.time_us)}`)
        fresh.value = new Set([...fresh.value, keyOf(run)])
        window.setTimeout(() => (fresh.value = new Set([...fresh.value].filter((key) => key !== keyOf(run)))), 4000)
      }
      if (lap) seen.set(keyOf(run), lap.number)
    }
    if (words.length) news.value = words.join('; ')
  },
  { immediate: true },
)
/** The run that somebody remarks on; its number on the page is the key that opens it. */
const remarked = ref('')
function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (event.ctrlKey || event.metaKey || event.altKey || target.closest('input, select, textarea, [role=dialog]')) return
  const run = runs.value[Number(event.key) - 1]
  if (!run?.laps.length) return
  event.preventDefault()
  remarked.value = keyOf(run)
}
async function close() {
  const key = remarked.value
  remarked.value = ''
  await nextTick()
  document.getElementById(`remark-${key}`)?.focus()
}
useEventListener(window, 'keydown', onKey)
const SIGNS: Record<string, string> = { met: '●', open: '○', lost: '✕', none: '' }
const state = (run: LiveRun) => {
  const mark = run.mark as { met: boolean; lost: boolean; kind: string }
  return mark.met ? 'met' : mark.lost ? 'lost' : mark.kind === 'none' ? 'none' : 'open'
}
const STATE_WORDS: Record<string, string> = { met: 'reached', open: 'open', lost: 'missed', none: 'no mark' }
function since(run: LiveRun): string {
  if (!run.last_at) return ''
  const minutes = Math.round((now.value - new Date(run.last_at).getTime()) / 60_000)
  return minutes < 1 ? 'now' : minutes < 60 ? `${minutes} min ago` : clock(run.last_at)
}
const what = (run: LiveRun) => (run.purpose ? (PURPOSES[run.purpose] ?? run.purpose) : 'no purpose said')
</script>

<template>
  <div class="top">
    <h1>Live</h1>
    <p class="quiet">Runs of the last three hours, as their laps arrive from rigs, fingers or eyes.</p>
  </div>
  <p class="visually-hidden" role="status">{{ news }}</p>
  <SeatNote />
  <TroubleNote :error="live.error.value" :again="() => live.refetch()" />
  <SkeletonRows v-if="live.isPending.value" :rows="6" label="Loading the runs" />
  <template v-else>
    <section
      v-for="trouble in troubles.data.value?.items ?? []"
      :key="trouble.rig_id + trouble.reason"
      class="sheet part trouble"
    >
      <p>
        <b>{{ trouble.rig }}</b> sent {{ count(trouble.lines, 'line') }} that can’t be taken: {{ trouble.reason }}
        <span class="quiet">{{ moment(trouble.last_at) }}</span>
      </p>
      <WorkButton size="small" variant="outlined" :loading="again.isPending.value" @click="again.mutate()"
        >Try again<span class="visually-hidden">: {{ trouble.rig }}</span></WorkButton
      >
    </section>
    <section v-if="waiting.length" class="sheet part" aria-labelledby="waiting-title">
      <h2 id="waiting-title">About to drive</h2>
      <ul class="plain">
        <li v-for="run in waiting" :key="run.driver_id + run.declared_at">
          <b>{{ run.driver }}</b> declared at {{ clock(run.declared_at) }}:
          {{ run.purpose ? PURPOSES[run.purpose] : 'no purpose said' }}
          <span class="quiet">{{ run.track }}, {{ run.layout }} · {{ run.car }}</span>
        </li>
      </ul>
    </section>
    <section v-if="!runs.length" class="sheet empty">
      <h2>Nobody has driven in the last three hours</h2>
      <p>Laps appear here by themselves as soon as a rig delivers them, or somebody types them.</p>
      <p v-if="all">A rig needs a token: a manager makes one under <RouterLink to="/people">People</RouterLink>.</p>
      <v-btn color="primary" to="/drive">Declare a run</v-btn>
    </section>
    <div class="runs">
      <article
        v-for="(run, index) in runs"
        :key="keyOf(run)"
        class="sheet run"
        :class="{ fresh: fresh.has(keyOf(run)), over: !run.driving, remarked: remarked === keyOf(run) }"
        :aria-label="`${run.driver}, run ${run.number}`"
      >
        <header>
          <h2>
            <RouterLink :to="runPlace(run.combination_id, run)">{{ run.driver }}</RouterLink>
          </h2>
          <span class="quiet">{{ run.driving ? 'driving' : 'run over' }} · {{ since(run) }}</span>
        </header>
        <p class="quiet">
          {{ what(run) }}<span v-if="!run.declared" class="ochre"> (undeclared)</span> · {{ run.track }},
          {{ run.layout }} · {{ run.car }}
        </p>
        <p class="mark" :class="state(run)">
          <span aria-hidden="true">{{ SIGNS[state(run)] }}</span><span class="visually-hidden"
            >Pass mark {{ STATE_WORDS[state(run)] }}:</span
          >
          {{ run.mark_words }}
        </p>
        <p v-if="run.watch.length" class="quiet">watch: {{ run.watch.join('; ') }}</p>
        <div class="figures">
          <dl>
            <dt>
              Lap {{ last(run)?.number
              }}<template v-if="last(run)?.kind !== 'flying'">, {{ KINDS[last(run)?.kind ?? ''] }}</template>
            </dt>
            <dd class="big">
              {{ lapTime(last(run)?.time_us ?? null)
              }}<span v-if="last(run) && !last(run)!.valid" class="bad"> invalid</span>
            </dd>
          </dl>
          <dl>
            <dt>Best</dt>
            <dd>{{ lapTime(run.best_us) }}</dd>
          </dl>
          <dl v-if="run.target_us">
            <dt>To the target</dt>
            <dd>{{ run.best_us ? `${gap(run.best_us - run.target_us)} s` : '–' }}</dd>
          </dl>
          <dl>
            <dt>Laps</dt>
            <dd>{{ run.laps.length + run.earlier }}</dd>
          </dl>
        </div>
        <RunDots :laps="run.laps" :target="run.target_us" :name="run.driver" />
        <template v-if="run.laps.length">
          <LiveRemark v-if="remarked === keyOf(run)" :run="run" @close="close" />
          <button v-else :id="`remark-${keyOf(run)}`" type="button" class="link" @click="remarked = keyOf(run)">
            Remark<span class="visually-hidden"> on {{ run.driver }}, run {{ run.number }}</span>
            <kbd v-if="index < 9">{{ index + 1 }}</kbd>
          </button>
        </template>
      </article>
    </div>
  </template>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
  margin-bottom: 8px;
}
.trouble {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  border-left: 4px solid var(--loss);
}
.runs {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(370px, 100%), 1fr));
  gap: 12px;
}
.run {
  padding: 10px 14px 8px;
  border-left: 4px solid var(--accent);
}
.run.over {
  border-left-color: var(--rule);
}
.run.remarked {
  grid-column: 1 / -1;
}
.run.fresh {
  background: color-mix(in srgb, var(--accent) 9%, var(--sheet));
}
header {
  display: flex;
  align-items: baseline;
  gap: 10px;
}
header span {
  margin-left: auto;
}
.mark {
  font-weight: 600;
  margin: 4px 0;
}
.mark.met {
  color: var(--accent);
}
.mark.lost {
  color: var(--loss);
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
  align-items: end;
  margin-top: 4px;
}
dt {
  font-size: 0.82rem;
  color: var(--quiet);
}
dd {
  font-variant-numeric: tabular-nums;
}
.big {
  font-size: 1.5rem;
  font-weight: 600;
  line-height: 1.1;
}
.bad {
  color: var(--loss);
  font-size: 0.9rem;
}
</style>
