<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'
import { clock, date, dayOf, moment } from '@/shared/format'
import JobProgress from '@/shared/parts/JobProgress.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { changeWords, DAY, useWhatIf, type Plan, type WhatIfBlock, type WhatIfChange } from '@/features/plan/plan'

/** What if a driver had another evening, or none, or another race: the plan beside the present one. Nothing of it is kept. */
const props = defineProps<{ plan: Plan; day?: string }>()
const { changes, ask, looking, found } = useWhatIf()
const days = computed(() => {
  const end = new Date(props.plan.ends_at).getTime()
  const out: string[] = []
  for (
    let at =
      Date.now() > new Date(props.plan.begins_at).getTime() ? Date.now() : new Date(props.plan.begins_at).getTime();
    at < end && out.length < 14;
    at += DAY
  )
    out.push(dayOf(new Date(at)))
  return out
})
const form = reactive({
  kind: 'more_time' as WhatIfChange['kind'],
  driver: '',
  day: '',
  from: '19:00',
  to: '22:00',
  week: '',
})
watch(
  () => [props.plan.drivers, days.value, props.plan.weeks] as const,
  ([drivers, some, weeks]) => {
    form.driver ||= drivers[0]?.id ?? ''
    form.week ||= weeks[0]?.id ?? ''
    if (!some.includes(form.day)) form.day = some[0] ?? ''
  },
  { immediate: true },
)
const trouble = ref('')
function add() {
  trouble.value = ''
  const driver_id = form.driver
  if (!driver_id) return
  if (form.kind === 'entry')
    changes.value.push({ kind: 'entry', driver_id, begins_at: null, ends_at: null, week_id: form.week || null })
  else {
    const begins = new Date(`${form.day}T${form.from}`)
    const ends = new Date(`${form.day}T${form.to}`)
    // An evening that goes on past midnight.
    if (ends <= begins) ends.setTime(ends.getTime() + DAY)
    if (Number.isNaN(begins.getTime()) || Number.isNaN(ends.getTime()))
      return (trouble.value = 'Say from when to when.')
    changes.value.push({
      kind: form.kind,
      driver_id,
      begins_at: begins.toISOString(),
      ends_at: ends.toISOString(),
      week_id: null,
    })
  }
}
const rows = computed(() => {
  const all = [...(found.value?.before ?? []), ...(found.value?.after ?? [])]
  return [...new Set(all.map((item) => item.driver))].sort().map((driver) => ({
    driver,
    sides: [
      { title: 'as it is', blocks: (found.value?.before ?? []).filter((item) => item.driver === driver) },
      { title: 'what if', blocks: (found.value?.after ?? []).filter((item) => item.driver === driver) },
    ],
  }))
})
const shown = computed(() =>
  [
    ...new Set(
      [...(found.value?.before ?? []), ...(found.value?.after ?? [])].map((item) => dayOf(new Date(item.begins_at))),
    ),
  ].sort(),
)
const on = (blocks: WhatIfBlock[], day: string) => blocks.filter((item) => dayOf(new Date(item.begins_at)) === day)
const STATES = { added: 'new', dropped: 'out', moved: 'at another time', same: '' } as const
</script>

<template>
  <section class="sheet part" aria-labelledby="what-if-title">
    <h2 id="what-if-title">What if</h2>
    <form class="fields-row" @submit.prevent="add">
      <label
        >What
        <select v-model="form.kind">
          <option value="more_time">one more stretch of time</option>
          <option value="less_time">no time then</option>
          <option value="entry">another entry</option>
        </select></label
      >
      <label
        >Driver
        <select v-model="form.driver">
          <option v-for="item in plan.drivers" :key="item.id" :value="item.id">{{ item.name }}</option>
        </select></label
      >
      <template v-if="form.kind === 'entry'"
        ><label
          >Race
          <select v-model="form.week">
            <option v-for="item in plan.weeks" :key="item.id" :value="item.id">
              {{ item.series }}, {{ item.place }}
            </option>
          </select></label
        ></template
      >
      <template v-else>
        <label
          >Day
          <select v-model="form.day">
            <option v-for="item in days" :key="item" :value="item">{{ date(`${item}T12:00:00`) }}</option>
          </select></label
        >
        <label>From <input v-model="form.from" class="field" type="time" required /></label>
        <label>To <input v-model="form.to" class="field" type="time" required /></label>
      </template>
      <v-btn type="submit" size="small" variant="outlined">Add it</v-btn>
    </form>
    <p v-if="trouble" class="bad" role="alert">{{ trouble }}</p>
    <ul v-if="changes.length" class="changes">
      <li v-for="(item, index) in changes" :key="index">
        {{ changeWords(plan, item) }}
        <button type="button" class="link" @click="changes.splice(index, 1)">
          Take away<span class="visually-hidden"> {{ changeWords(plan, item) }}</span>
        </button>
      </li>
    </ul>
    <p>
      <WorkButton
        color="primary"
        size="small"
        :disabled="!changes.length"
        :loading="ask.isPending.value"
        @click="ask.mutate(day)"
        >Plan it beside the present one</WorkButton
      >
      <span class="quiet">Nothing of it is kept.</span>
    </p>
    <JobProgress v-if="looking" :job="looking" />
    <TroubleNote :error="ask.error.value" />
    <div v-if="found" role="status">
      <p v-for="(words, index) in found.words" :key="words" :class="{ first: !index }">{{ words }}</p>
      <div v-if="rows.length" class="scroll-x" tabindex="0" role="group" aria-label="Both plans beside each other">
        <table>
          <thead>
            <tr>
              <th scope="col">Driver</th>
              <th v-for="item in shown" :key="item" scope="col">{{ date(`${item}T12:00:00`) }}</th>
            </tr>
          </thead>
          <tbody v-for="row in rows" :key="row.driver">
            <tr v-for="side in row.sides" :key="side.title">
              <th scope="row">
                {{ row.driver }} <span class="quiet">{{ side.title }}</span>
              </th>
              <td v-for="item in shown" :key="item">
                <span
                  v-for="block in on(side.blocks, item)"
                  :key="block.begins_at + block.words"
                  class="block"
                  :class="block.state"
                  ><b>{{ clock(block.begins_at) }}</b> {{ block.words }}
                  <span class="quiet"
                    >{{ block.minutes }} min<template v-if="STATES[block.state]"
                      >, {{ STATES[block.state] }}</template
                    ></span
                  ></span
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p class="quiet">
        Looked at {{ moment(found.at) }}. If it pleases: time is entered on the driver’s profile, an entry on the board;
        then plan again.
      </p>
    </div>
  </section>
</template>

<style scoped>
.fields-row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: end;
  margin-bottom: 6px;
}
.changes {
  padding-left: 18px;
  margin: 4px 0 8px;
}
.first {
  font-weight: 600;
}
table {
  border-collapse: collapse;
  margin: 6px 0;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 3px 8px 3px 0;
  border-bottom: 1px solid var(--rule);
}
tbody th .quiet {
  display: block;
  font-weight: 400;
}
.block {
  display: block;
  font-size: 0.85rem;
  border-left: 3px solid var(--rule);
  padding-left: 5px;
  margin-bottom: 3px;
}
.block.added {
  border-left-color: var(--accent);
}
.block.moved {
  border-left-color: var(--ochre);
}
.block.dropped {
  border-left-color: var(--loss);
  text-decoration: line-through;
}
</style>
