<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api, version, type Schemas } from '@/shared/api/client'
import { useClinicSettled, useLibrary, type Kind } from '@/features/fix/clinic'
import { perCent } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMay } from '@/shared/session'

/** The team's library: for each kind of mistake what it may come from, what to feel, what to drive and when it is passed. */
type Exercise = Schemas['ExerciseOut']
const may = useMay()
const settled = useClinicSettled()
const { library, words } = useLibrary()
const helped = useQuery({ queryKey: ['exercises', 'helped'], queryFn: () => answer(api.GET('/api/exercises/helped')) })
const brought = (item: Exercise) =>
  helped.data.value?.items.find((other) => other.kind === item.kind && other.title === item.title)
/** What was given under a title that the library no longer has. */
const gone = computed(() =>
  (helped.data.value?.items ?? []).filter(
    (item) => !library.data.value?.items.some((other) => other.kind === item.kind && other.title === item.title),
  ),
)
const share = (rate: number | null) => (rate === null ? '–' : perCent(rate))
const opened = ref('')
const form = reactive<Schemas['ExerciseForm']>({
  code: '',
  version: 0,
  kind: 'other',
  title: '',
  cause: '',
  feel: '',
  work: '',
  of_passes: 10,
  good_passes: 8,
})
function edit(item: Exercise) {
  opened.value = item.code
  Object.assign(form, {
    code: item.code,
    version: item.version,
    kind: item.kind,
    title: item.title,
    cause: item.cause,
    feel: item.feel,
    work: item.work,
    of_passes: item.of_passes,
    good_passes: item.good_passes,
  })
}
function add() {
  opened.value = 'new'
  Object.assign(form, {
    code: `own-${Date.now().toString(36)}`,
    version: 0,
    kind: 'other',
    title: '',
    cause: '',
    feel: '',
    work: '',
    of_passes: 10,
    good_passes: 8,
  })
}
const keep = useMutation({
  mutationFn: () => answer(api.PUT('/api/exercises', { body: { ...form } })),
  onSuccess: () => (opened.value = ''),
  onSettled: settled,
})
const remove = useMutation({
  mutationFn: (item: Exercise) =>
    answer(
      api.DELETE('/api/exercises/{code}', { params: { path: { code: item.code }, header: version(item.version) } }),
    ),
  onSettled: settled,
})
const kinds = computed(() => Object.entries(words.value) as [Kind, string][])
</script>

<template>
  <div class="top">
    <h1>Exercises</h1>
    <v-btn v-if="may('exercise.change')" color="primary" size="small" @click="add">Write another one</v-btn>
  </div>
  <TroubleNote
    :error="library.error.value ?? keep.error.value ?? remove.error.value"
    :again="library.error.value ? () => library.refetch() : undefined"
  />
  <SkeletonRows v-if="library.isPending.value" :rows="8" label="Fetching the library" />
  <form
    v-if="opened"
    v-draft="`exercise ${opened}`"
    class="sheet fields form"
    aria-label="Exercise"
    @submit.prevent="keep.mutate()"
  >
    <label
      >Against
      <select v-model="form.kind" :disabled="opened !== 'new'">
        <option v-for="[key, called] in kinds" :key="key" :value="key">{{ called }}</option>
      </select></label
    >
    <label>Title <input v-model="form.title" type="text" required maxlength="120" /></label>
    <label>Likely cause <textarea v-model="form.cause" rows="2" /></label>
    <label>Feel and look for <textarea v-model="form.feel" rows="2" /></label>
    <label>What to drive <textarea v-model="form.work" rows="3" required /></label>
    <p class="row">
      Passed with
      <label
        ><span class="visually-hidden">Good passes</span
        ><input v-model.number="form.good_passes" type="number" min="1" max="50"
      /></label>
      of
      <label
        ><span class="visually-hidden">Passes in a row</span
        ><input v-model.number="form.of_passes" type="number" min="1" max="50"
      /></label>
      passes in a row without the mistake.
    </p>
    <p class="row">
      <v-btn type="submit" color="primary" size="small" :loading="keep.isPending.value">Keep it</v-btn>
      <v-btn variant="outlined" size="small" @click="opened = ''">Leave it</v-btn>
    </p>
  </form>
  <section
    v-for="item in library.data.value?.items"
    :key="item.code"
    class="sheet part"
    :aria-labelledby="`e-${item.code}`"
  >
    <h2 :id="`e-${item.code}`">
      {{ item.title }}
      <span class="quiet"
        >against: {{ item.kind_title
        }}{{ item.shipped ? (item.version ? ', changed by the team' : '') : ', the team’s own' }}</span
      >
    </h2>
    <p v-if="item.cause">{{ item.cause }}</p>
    <p v-if="item.feel"><b>Feel and look for:</b> {{ item.feel }}</p>
    <p>
      <b>Drive:</b> {{ item.work }} <span class="quiet">Passed with {{ item.mark }}.</span>
    </p>
    <template v-if="brought(item)">
      <p><b>What it brought:</b> {{ brought(item)!.words }}</p>
      <ul v-if="brought(item)!.drivers.length" class="quiet">
        <li v-for="(one, index) in brought(item)!.drivers.slice(0, 6)" :key="index">
          {{ one.driver }} at {{ one.corner }}, {{ one.place }}: {{ share(one.rate_before) }} of passes before,
          {{ share(one.rate_since) }} since{{ one.passed ? ', passed' : '' }}
        </li>
      </ul>
    </template>
    <p v-if="may('exercise.change')" class="row">
      <button type="button" class="link" @click="edit(item)">
        Change<span class="visually-hidden"> {{ item.title }}</span>
      </button>
      <button v-if="item.version" type="button" class="link" @click="remove.mutate(item)">
        {{ item.shipped ? 'As it ships' : 'Remove' }}<span class="visually-hidden">: {{ item.title }}</span>
      </button>
    </p>
  </section>
  <section v-if="gone.length" class="sheet part" aria-labelledby="gone">
    <h2 id="gone">What earlier exercises brought</h2>
    <ul>
      <li v-for="item in gone" :key="item.kind + item.title">
        {{ item.title }}, against: {{ words[item.kind] }}. {{ item.words }}
      </li>
    </ul>
  </section>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
<style scoped>
.part,
.form {
  margin-bottom: 10px;
  max-width: 980px;
}
.form {
  display: grid;
  gap: 8px;
  padding: 10px 14px 12px;
}
.form label {
  display: grid;
  gap: 2px;
}
.form .row label {
  display: inline;
}
.form input[type='number'] {
  width: 4.5em;
}
</style>
