<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import { answer, api, version, type Schemas } from '@/shared/api/client'
import { seconds } from '@/features/fix/clinic'
import { lapTime, readTime } from '@/shared/format'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'

/** What only people know of a race. */
const props = defineProps<{ id: string; race: Schemas['RaceOut'] }>()
const may = useMay()
const mayChange = computed(() => may('race.change'))
const queries = useQueryClient()
const form = reactive({
  pit_s: 25,
  pit_deviation_s: 1.5,
  caution_pit_s: '' as number | '',
  risk: 5,
  formation_laps: 0.5,
  saving: 0,
  leader: '',
  rivals: '',
  life: {} as Record<string, number | ''>,
  wet_on_dry: '',
  dry_on_wet: '',
  remember: '',
  early: '',
})
function take(told: Schemas['RaceOut']) {
  const { wish } = told
  const time = (value: number | null) => (value === null ? '' : lapTime(value))
  Object.assign(form, {
    pit_s: wish.pit_s,
    pit_deviation_s: wish.pit_deviation_s,
    caution_pit_s: wish.caution_pit_s ?? '',
    risk: Math.round(1000 * wish.risk) / 10,
    formation_laps: wish.formation_laps,
    saving: Math.round(1000 * wish.saving) / 10,
    leader: time(wish.leader_us),
    rivals: wish.rivals_us.map((value) => lapTime(value)).join(' '),
    wet_on_dry: time(wish.wet_on_dry_us),
    dry_on_wet: time(wish.dry_on_wet_us),
    remember: wish.remember,
    early: wish.early,
    life: Object.fromEntries(told.compounds.map((name) => [name, wish.life[name] ?? ''])),
  })
}
watch(
  () => props.race,
  (told, old) => told.version !== old?.version && take(told),
  { immediate: true },
)
const said = ref('')
const keep = useMutation({
  onMutate: () => (said.value = ''),
  mutationFn: () => {
    const body: Schemas['RaceWishBody'] = {
      pit_s: form.pit_s,
      pit_deviation_s: form.pit_deviation_s,
      caution_pit_s: typeof form.caution_pit_s === 'number' ? form.caution_pit_s : null,
      risk: form.risk / 100,
      formation_laps: form.formation_laps,
      saving: form.saving / 100,
      leader_us: readTime(form.leader),
      rivals_us: form.rivals.split(/[\s;]+/).flatMap((text) => readTime(text) ?? []),
      wet_on_dry_us: readTime(form.wet_on_dry),
      dry_on_wet_us: readTime(form.dry_on_wet),
      remember: form.remember.trim(),
      early: form.early.trim(),
      life: Object.fromEntries(
        Object.entries(form.life).filter((item): item is [string, number] => typeof item[1] === 'number'),
      ),
    }
    return answer(
      api.PUT('/api/races/{entered_id}', {
        params: { path: { entered_id: props.id }, header: version(props.race.version) },
        body,
      }),
    )
  },
  onSuccess: () => (said.value = 'Kept.'),
  onSettled: () =>
    Promise.all(['races', 'steps', 'history', 'board'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
</script>

<template>
  <form v-draft="`race ${id}`" class="sheet part" aria-labelledby="known-title" @submit.prevent="keep.mutate()">
    <h2 id="known-title">What only people know</h2>
    <fieldset :disabled="!mayChange" class="fields">
      <label
        >A stop costs, s
        <input v-model.number="form.pit_s" class="field" type="number" min="0" max="600" step="0.1" required
      /></label>
      <label
        >give or take, s
        <input v-model.number="form.pit_deviation_s" class="field" type="number" min="0" max="60" step="0.1" required
      /></label>
      <label
        >A stop under a caution, s
        <input
          v-model.number="form.caution_pit_s"
          class="field"
          type="number"
          min="0"
          max="600"
          step="0.1"
          placeholder="half of that"
      /></label>
      <label
        >Risk of running out, %
        <input v-model.number="form.risk" class="field" type="number" min="0.1" max="50" step="0.1" required
      /></label>
      <label
        >Formation, laps’ worth
        <input v-model.number="form.formation_laps" class="field" type="number" min="0" max="5" step="0.1" required
      /></label>
      <label
        >Saved on a lap, %
        <input v-model.number="form.saving" class="field" type="number" min="0" max="90" step="0.5" required
      /></label>
      <label>Leader’s lap <input v-model="form.leader" v-reads="'time'" class="field" placeholder="m:ss.fff" /></label>
      <label
        >Rivals’ laps, as far as known
        <input v-model="form.rivals" v-reads="'times'" class="field" maxlength="600" placeholder="m:ss.fff m:ss.fff"
      /></label>
      <label v-for="name in race.compounds" :key="name"
        >{{ name }}: a set lasts, laps
        <input v-model.number="form.life[name]" class="field" type="number" min="1" max="500" placeholder="the race"
      /></label>
      <label
        >Wet tyres on a dry track
        <input v-model="form.wet_on_dry" v-reads="'time'" class="field" placeholder="m:ss.fff"
      /></label>
      <label
        >Dry tyres on a wet track
        <input v-model="form.dry_on_wet" v-reads="'time'" class="field" placeholder="m:ss.fff"
      /></label>
      <label class="wide"
        >The one thing to remember <input v-model="form.remember" class="field" maxlength="200"
      /></label>
      <label class="wide"
        >What to expect of others
        <input
          v-model="form.early"
          class="field"
          maxlength="300"
          placeholder="who attacks early and fades, where others crash"
      /></label>
    </fieldset>
    <p v-if="race.pit_loss" class="quiet">
      In and out laps of practice took {{ seconds(race.pit_loss.loss_us, 1) }} longer than two laps at pace ({{
        race.pit_loss.in_laps
      }}
      and {{ race.pit_loss.out_laps }} of them), without standing still.
      <button
        v-if="mayChange"
        type="button"
        class="link"
        @click="form.pit_s = Math.round(race.pit_loss.loss_us / 1e5) / 10"
      >
        Take it as what a stop costs
      </button>
    </p>
    <p v-if="mayChange">
      <WorkButton type="submit" color="primary" size="small" :loading="keep.isPending.value">Keep it</WorkButton>
      <span role="status" class="quiet">{{ said }}</span>
    </p>
    <TroubleNote :error="keep.error.value" />
  </form>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped src="@/features/race/race.css"></style>
