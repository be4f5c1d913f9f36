<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api, version, type Schemas } from '@/shared/api/client'
import NumberField from '../parts/NumberField.vue'
import PlanSettings from '../parts/PlanSettings.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'

/** What readiness and plans go by: from when on a check is met, what it weighs, the kinds of blocks, and what plans weigh.
 * The manager's to change. */
type Rules = Schemas['PlanRulesOut']
const may = useMay()
const mayChange = computed(() => may('plan.rules'))
const queries = useQueryClient()
const asked = useQuery({ queryKey: ['plan', 'rules'], queryFn: () => answer(api.GET('/api/plan/rules')) })
/** Shares are written in per cent, microseconds in seconds. */
const UNITS: Record<string, { unit: string; scale: number; most?: boolean }> = {
  laps: { unit: 'laps', scale: 1 },
  gap: { unit: '% above the target', scale: 100, most: true },
  clean_rate: { unit: '% clean', scale: 100 },
  spread: { unit: '% spread', scale: 1, most: true },
  long_run: { unit: 'laps in a run', scale: 1 },
  mistakes: { unit: 's a lap', scale: 1e-6, most: true },
  references: { unit: 'corners without', scale: 1, most: true },
  qualifying_run: { unit: 'runs', scale: 1 },
  pit: { unit: 'in laps', scale: 1 },
  start: { unit: 'rehearsals', scale: 1 },
  conditions: { unit: 'not driven', scale: 1, most: true },
}
const unitOf = (key: string) => UNITS[key] ?? { unit: '', scale: 1 }
const rounded = (value: number) => Number(value.toPrecision(9))
const form = ref<Rules>()
const said = ref('')
function take(rules: Rules) {
  const checks = rules.checks.map((item) => ({
    ...item,
    met: rounded(item.met * unitOf(item.key).scale),
    close: rounded(item.close * unitOf(item.key).scale),
  }))
  const blocks = rules.blocks.map((item) => ({ ...item, share: rounded(item.share * 100) }))
  form.value = { ...rules, checks, blocks, planning: rules.planning.map((item) => ({ ...item })) }
}
watch(
  () => asked.data.value,
  (rules) => rules && take(rules),
  { immediate: true },
)
function add() {
  form.value?.blocks.push({
    code: `own-${Date.now().toString(36)}`,
    laps: 12,
    minutes: 5,
    rank: 2,
    driving: true,
    coached: false,
    share: 0.1,
    planned: true,
    pass_mark: '',
    name: '',
    times: 1,
    words: '',
    usual_pass_mark: '',
    own: true,
  })
}
const keep = useMutation({
  mutationFn: () => {
    const rules = form.value!
    const checks = Object.fromEntries(
      rules.checks.map((item) => [
        item.key,
        {
          met: rounded(item.met / unitOf(item.key).scale),
          close: rounded(item.close / unitOf(item.key).scale),
          weight: item.weight,
        },
      ]),
    )
    const blocks = Object.fromEntries(
      rules.blocks.map(
        ({ code, laps, minutes, rank, share, planned, pass_mark, name, times, driving, coached, own }) => [
          code,
          {
            laps,
            minutes,
            rank,
            share: rounded(share / 100),
            planned,
            pass_mark: pass_mark.trim(),
            ...(own ? { name: name.trim(), times, driving, coached: coached && !driving } : {}),
          },
        ],
      ),
    )
    const planning = Object.fromEntries(rules.planning.map((item) => [item.key, item.value]))
    return answer(
      api.PUT('/api/plan/rules', {
        params: { header: version(rules.version) },
        body: { checks, blocks, planning } as never,
      }),
    )
  },
  onSuccess: (rules) => {
    take(rules)
    said.value = 'Kept. Readiness and the next plan go by it.'
  },
  onSettled: () =>
    Promise.all(['plan', 'history', 'steps'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
</script>

<template>
  <div class="top">
    <h1>Rules of readiness and plans</h1>
    <p class="links"><RouterLink to="/readiness">Readiness</RouterLink> <RouterLink to="/plan">Plan</RouterLink></p>
  </div>
  <TroubleNote
    :error="asked.error.value ?? keep.error.value"
    :again="asked.error.value ? () => asked.refetch() : undefined"
  />
  <SkeletonRows v-if="asked.isPending.value" :rows="9" label="Fetching the rules" />
  <form v-if="form" v-draft="'rules'" @submit.prevent="keep.mutate()">
    <fieldset :disabled="!mayChange">
      <section class="sheet part" aria-labelledby="checks-title">
        <h2 id="checks-title">When a driver is ready</h2>
        <div class="scroll-x" tabindex="0" role="group" aria-label="Checks">
          <table>
            <thead>
              <tr>
                <th scope="col">Check</th>
                <th scope="col">Met</th>
                <th scope="col">Close</th>
                <th scope="col">Measured in</th>
                <th scope="col">Weight in the total</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in form.checks" :key="item.key">
                <th scope="row">{{ item.title }}</th>
                <td>
                  <label
                    ><span class="quiet">{{ unitOf(item.key).most ? 'up to' : 'from' }}</span>
                    <NumberField v-model="item.met" :label="`${item.title}: met`"
                  /></label>
                </td>
                <td>
                  <label
                    ><span class="quiet">{{ unitOf(item.key).most ? 'up to' : 'from' }}</span>
                    <NumberField v-model="item.close" :label="`${item.title}: close`"
                  /></label>
                </td>
                <td class="quiet">{{ unitOf(item.key).unit }}</td>
                <td>
                  <NumberField v-model="item.weight" :step="0.5" :max="10" :label="`${item.title}: weight`" /><span
                    v-if="item.weight !== item.usual_weight"
                    class="quiet"
                  >
                    usually {{ item.usual_weight }}</span
                  >
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
      <section class="sheet part" aria-labelledby="blocks-title">
        <h2 id="blocks-title">Kinds of blocks</h2>
        <p class="quiet">
          Minutes are those besides the laps: getting in, setting up, talking it over. Blocks of one race come in the
          order that is given here. What a block brings is measured where anything tells; else it is taken to be this
          share of the lap.
        </p>
        <div class="scroll-x" tabindex="0" role="group" aria-label="Kinds of blocks">
          <table class="blocks">
            <thead>
              <tr>
                <th scope="col">Block</th>
                <th scope="col">In plans</th>
                <th scope="col">Laps</th>
                <th scope="col">Minutes</th>
                <th scope="col">Order</th>
                <th scope="col">Taken to bring, %</th>
                <th scope="col">Passed when</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in form.blocks" :key="item.code">
                <th scope="row">
                  <template v-if="!item.own">{{ item.words }}</template>
                  <template v-else>
                    <input
                      v-model="item.name"
                      class="field name"
                      required
                      maxlength="60"
                      aria-label="Name of the block"
                    />
                    <label class="small"><input v-model="item.driving" type="checkbox" /> at the seat</label>
                    <label v-if="!item.driving" class="small"
                      ><input v-model="item.coached" type="checkbox" /> with the coach</label
                    >
                    <label class="small">times <NumberField v-model="item.times" :min="1" :max="20" /></label>
                    <button
                      type="button"
                      class="link"
                      @click="form!.blocks = form!.blocks.filter((other) => other !== item)"
                    >
                      Take away<span class="visually-hidden"> {{ item.name }}</span>
                    </button>
                  </template>
                </th>
                <td>
                  <input v-model="item.planned" type="checkbox" :aria-label="`${item.words || item.name}: in plans`" />
                </td>
                <td>
                  <NumberField
                    v-if="item.driving && item.code !== 'rehearsal'"
                    v-model="item.laps"
                    :min="1"
                    :max="100"
                    :label="`${item.words || item.name}: laps`"
                  /><span v-else class="quiet">{{ item.driving ? 'the race' : '–' }}</span>
                </td>
                <td>
                  <NumberField v-model="item.minutes" :max="240" :label="`${item.words || item.name}: minutes`" />
                </td>
                <td>
                  <NumberField v-model="item.rank" :max="9" :label="`${item.words || item.name}: order`" />
                </td>
                <td>
                  <NumberField
                    v-if="item.share || item.own"
                    v-model="item.share"
                    :max="100"
                    :label="`${item.words || item.name}: taken to bring`"
                  /><span v-else class="quiet">measured</span>
                </td>
                <td>
                  <input
                    v-model="item.pass_mark"
                    class="field mark"
                    maxlength="300"
                    :title="item.pass_mark || item.usual_pass_mark"
                    :placeholder="item.usual_pass_mark.replace(/^Passed when |\.$/g, '')"
                    :aria-label="`${item.words || item.name}: passed when`"
                  />
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <p v-if="mayChange"><v-btn size="small" variant="outlined" @click="add">Add a kind</v-btn></p>
      </section>
      <PlanSettings v-model="form.planning" />
    </fieldset>
    <p v-if="mayChange" class="keep">
      <WorkButton type="submit" color="primary" :loading="keep.isPending.value">Keep it</WorkButton>
      <span role="status" class="quiet">{{ said }}</span>
    </p>
    <p v-else class="quiet">A manager changes these.</p>
  </form>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
th,
td {
  text-align: left;
  padding: 2px 10px 2px 0;
  vertical-align: top;
}
.blocks {
  width: 100%;
}
.blocks td:last-child {
  width: 45%;
}
.name {
  width: 160px;
}
.small {
  display: block;
  font-weight: 400;
  font-size: 0.85rem;
}
.mark {
  width: 100%;
  min-width: 300px;
}
.keep {
  position: sticky;
  bottom: 0;
  padding: 8px 0;
  background: var(--paper);
}
</style>
