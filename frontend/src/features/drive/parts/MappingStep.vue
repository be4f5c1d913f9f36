<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { answer, api, type Mapping, type Preview, type TableMapping } from '@/shared/api/client'
import type { TimeUnit } from '@/shared/api/words'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useDrivers } from '@/shared/queries'

/** Which column is what. What is changed is seen at once in the laps below; it is remembered for the next file of this source. */
const props = defineProps<{ seen: Preview; names: Record<string, string> }>()
const emit = defineEmits<{ told: [] }>()
const drivers = useDrivers()
const columns = reactive<Record<string, { target: string; unit: TimeUnit }>>({})
const form = reactive({
  splits: 'times' as TableMapping['splits'],
  rows: 'laps' as TableMapping['rows'],
  driver: '',
  session: '',
})
function show(mapping: Mapping) {
  for (const name of Object.keys(columns)) delete columns[name]
  for (const item of mapping.columns) columns[item.name] = { target: item.target ?? '', unit: item.unit }
  Object.assign(form, {
    splits: mapping.splits,
    rows: mapping.rows,
    driver: mapping.constants.driver ?? '',
    session: mapping.constants.session ?? '',
  })
}
watch(
  () => props.seen.id,
  () => show(props.seen.mapping),
  { immediate: true },
)
const TIMED = (target: string) => ['time', 'sector_time'].includes(target) || isPart(target)
const isPart = (target: string) =>
  props.seen.mapping.offered.find((item) => item.target === target)?.words.startsWith('time of ') ?? false
const used = computed(() => new Set(Object.values(columns).map((use) => use.target)))
const hasDriver = computed(() => used.value.has('driver'))
const table = computed<TableMapping>(() => ({
  columns: Object.fromEntries(
    Object.entries(columns)
      .filter(([, use]) => use.target)
      .map(([name, use]) => [name, { target: use.target, unit: TIMED(use.target) ? use.unit : 'time' }]),
  ),
  splits: form.splits,
  rows: form.rows,
  constants: {
    ...(form.driver.trim() && !hasDriver.value ? { driver: form.driver.trim() } : {}),
    ...(form.session.trim() && !used.value.has('session') ? { session: form.session.trim() } : {}),
  } as Record<string, string>,
}))
const send = useMutation({
  mutationFn: (confirmed: boolean) =>
    answer(
      api.PUT('/api/lap-files/{file_id}/reading', {
        params: { path: { file_id: props.seen.id } },
        body: { table: table.value, names: props.names, confirmed },
      }),
    ),
  onSuccess: () => emit('told'),
})
let timer = 0
/** What is chosen is tried at once; typing waits for a pause. */
function tried() {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => send.mutate(false), 350)
}
const splitsKnown = computed(() => Object.values(columns).filter((use) => isPart(use.target)).length > 1)
const typedName = ref(false)
</script>

<template>
  <section class="sheet block" aria-labelledby="mapping-title">
    <h2 id="mapping-title">Which column is what?</h2>
    <p v-if="seen.mapping.remembered && !hasDriver" class="quiet">
      Columns are read as they were last time for this source. No column says who drove, so it is asked for each
      file<template v-if="form.driver">; the name here is a guess from the file’s name</template>.
    </p>
    <p v-else class="quiet">
      The names of this file’s columns aren’t known here. Say once what they hold; the next file of this source is read
      the same way by itself.
    </p>
    <p v-if="seen.mapping.seen.length" class="recognised">Recognised: {{ seen.mapping.seen.join('; ') }}.</p>
    <div class="beside">
      <div class="scroll-x" tabindex="0" role="region" aria-label="Columns of the file">
        <table class="ledger">
          <thead>
            <tr>
              <th scope="col">Column in the file</th>
              <th scope="col">Is</th>
              <th scope="col">Written as</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="item in seen.mapping.columns" :key="item.name" :class="{ unused: !columns[item.name]?.target }">
              <th scope="row">
                {{ item.name
                }}<span class="examples"
                  ><span class="visually-hidden">, for example </span>{{ item.examples.join(' · ') }}</span
                >
              </th>
              <td>
                <select
                  v-if="columns[item.name]"
                  v-model="columns[item.name]!.target"
                  :aria-label="`What ${item.name} is`"
                  @change="tried"
                >
                  <option value="">not used</option>
                  <option
                    v-for="option in seen.mapping.offered"
                    :key="option.target"
                    :value="option.target"
                    :disabled="used.has(option.target) && columns[item.name]!.target !== option.target"
                  >
                    {{ option.words }}
                  </option>
                </select>
              </td>
              <td>
                <select
                  v-if="columns[item.name] && TIMED(columns[item.name]!.target)"
                  v-model="columns[item.name]!.unit"
                  :aria-label="`How ${item.name} is written`"
                  @change="tried"
                >
                  <option value="time">1:32.114 or seconds</option>
                  <option value="ms">milliseconds</option>
                  <option value="days">part of a day</option>
                </select>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div>
        <h3>The first laps, read like this</h3>
        <slot />
        <p v-if="seen.problem && !send.error.value" class="rust" role="status">{{ seen.problem }}</p>
      </div>
    </div>
    <div class="more">
      <label
        >A row is
        <select v-model="form.rows" @change="tried">
          <option value="laps">a lap</option>
          <option value="sectors">a sector of a lap</option>
        </select></label
      >
      <label v-if="splitsKnown && form.rows === 'laps'"
        >Sector columns hold
        <select v-model="form.splits" @change="tried">
          <option value="times">each sector’s own time</option>
          <option value="cumulative">the time since the lap began</option>
        </select></label
      >
      <label v-if="!hasDriver"
        >All laps are of
        <select v-if="!typedName" v-model="form.driver" @change="tried">
          <option value="">choose a driver</option>
          <option v-for="item in drivers.data.value?.items" :key="item.id">{{ item.name }}</option>
        </select>
        <input v-else v-model="form.driver" class="field" maxlength="120" @input="tried" />
        <button type="button" class="link" @click="typedName = !typedName">
          {{ typedName ? 'choose' : 'another name' }}
        </button>
      </label>
      <label v-if="!used.has('session')"
        >Its session is called <input v-model="form.session" class="field" maxlength="120" @input="tried"
      /></label>
    </div>
    <TroubleNote :error="send.error.value" />
    <div class="buttons">
      <WorkButton
        color="primary"
        :disabled="!!send.error.value || !!seen.problem"
        :loading="send.isPending.value"
        @click="send.mutate(true)"
        >Read it like this</WorkButton
      >
    </div>
  </section>
</template>

<style scoped>
.block {
  padding: 10px 16px 12px;
  margin: 10px 0;
}
.recognised {
  border-left: 3px solid var(--ochre);
  padding-left: 8px;
  margin: 4px 0 8px;
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 11fr) minmax(0, 9fr);
  gap: 4px 20px;
}
h3 {
  font-size: 0.98rem;
}
td select {
  width: 100%;
  max-width: 190px;
}
.examples {
  display: block;
  font-weight: 400;
  font-size: 0.84rem;
  color: var(--quiet);
  font-variant-numeric: tabular-nums;
}
@media (max-width: 1000px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}
.unused th {
  color: var(--quiet);
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 22px;
  margin: 10px 0 4px;
}
.more label {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
</style>
