<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api, theirsOf, version, type Book, type Corner, type CornerChange } from '@/shared/api/client'
import { COSTS, KERBS, LANES, LEVELS, PASSING_SIDES, PHASES, titleOf, TRAITS, useSettled } from '@/features/track/book'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import RowsEditor from '@/features/track/parts/RowsEditor.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

const props = defineProps<{ book: Book; corner: Corner }>()
const emit = defineEmits<{ close: [] }>()
const shown = ref(true)
const settled = useSettled()
const form = reactive({ version: 0, name: '', others: '', move: '', given_up_for: '', importance: '', note: '' })
const traits = ref<Corner['traits']>([])
const kerbs = ref<Corner['kerbs']>([])
const limits = ref<Corner['limits']>([])
const passing = ref<Corner['passing']>([])
const lanes = ref<Corner['lanes']>([])
function show(row: Corner) {
  Object.assign(form, {
    version: row.version,
    name: row.name ?? '',
    others: row.other_names.join(', '),
    move: row.move,
    given_up_for: row.given_up_for,
    importance: row.importance.said ?? '',
    note: row.note,
  })
  traits.value = row.traits.map((item) => ({ ...item }))
  kerbs.value = row.kerbs.map((item) => ({ ...item }))
  limits.value = row.limits.map((item) => ({ ...item }))
  passing.value = row.passing.map((item) => ({ ...item }))
  lanes.value = row.lanes.map((item) => ({ ...item }))
}
show(props.corner)
const body = (): CornerChange => ({
  name: form.name || null,
  other_names: form.others
    .split(',')
    .map((item) => item.trim())
    .filter(Boolean),
  move: form.move || null,
  given_up_for: form.given_up_for || null,
  importance: (form.importance || null) as CornerChange['importance'],
  traits: traits.value,
  kerbs: kerbs.value,
  limits: limits.value,
  passing: passing.value,
  lanes: lanes.value,
  note: form.note || null,
})
const save = useMutation({
  mutationFn: (seen: number) =>
    answer(
      api.PUT('/api/corners/{corner_id}', {
        params: { path: { corner_id: props.corner.id }, header: version(seen) },
        body: body(),
      }),
    ),
  onSuccess: () => (shown.value = false),
  onSettled: settled,
})
const theirs = computed(() => theirsOf<Corner>(save.error.value))
const moves = computed(() => [...new Set(props.book.corners.map((item) => item.move).filter(Boolean))])
</script>

<template>
  <v-dialog v-model="shown" max-width="880" aria-labelledby="corner-form-title" @after-leave="emit('close')">
    <form v-draft="`corner ${corner.id}`" class="sheet part" @submit.prevent="save.mutate(form.version)">
      <h2 id="corner-form-title">{{ titleOf(corner) }}</h2>
      <div class="fields">
        <label>Name <input v-model="form.name" class="field" maxlength="120" /></label>
        <label>Other names, with commas <input v-model="form.others" class="field" maxlength="400" /></label>
        <label
          >One move with others, called <input v-model="form.move" class="field" maxlength="120" list="moves"
        /></label>
        <datalist id="moves"><option v-for="item in moves" :key="item" :value="item" /></datalist>
        <label
          >Given up for
          <select v-model="form.given_up_for">
            <option value="">no other corner</option>
            <option
              v-for="item in book.corners.filter((one) => one.id !== corner.id)"
              :key="item.id"
              :value="item.code"
            >
              {{ titleOf(item) }}
            </option>
          </select></label
        >
        <label
          >Importance
          <select v-model="form.importance">
            <option value="">as derived ({{ corner.importance.derived }})</option>
            <option v-for="(words, value) in LEVELS" :key="value" :value="value">{{ words }}</option>
          </select></label
        >
      </div>
      <RowsEditor
        v-model="traits"
        title="The road"
        one="trait"
        :empty="{ kind: 'bump', where: '' }"
        :columns="[
          { key: 'kind', title: 'What', choices: TRAITS },
          { key: 'where', title: 'Where', placeholder: 'before the apex' },
        ]"
      />
      <RowsEditor
        v-model="kerbs"
        title="Kerbs, piece by piece"
        one="kerb"
        :empty="{ where: '', use: 'use', why: '' }"
        :columns="[
          { key: 'where', title: 'Where', placeholder: 'exit, second half' },
          { key: 'use', title: 'Use', choices: KERBS },
          { key: 'why', title: 'Why', size: 30 },
        ]"
      />
      <RowsEditor
        v-model="limits"
        title="Limits"
        one="limit"
        :empty="{ where: '', part: 'all four wheels', cost: 'strike', rules: book.rules ?? '' }"
        :columns="[
          { key: 'where', title: 'Where', placeholder: 'exit' },
          { key: 'part', title: 'What counts' },
          { key: 'cost', title: 'Costs', choices: COSTS },
          { key: 'rules', title: 'In rules', size: 8 },
        ]"
      />
      <RowsEditor
        v-model="passing"
        title="Passing"
        one="way to pass"
        :empty="{ side: 'left', risk: 'medium', wrong: '', yield_when: '' }"
        :columns="[
          { key: 'side', title: 'Side', choices: PASSING_SIDES },
          { key: 'risk', title: 'Risk', choices: { low: 'low', medium: 'medium', high: 'high' } },
          { key: 'wrong', title: 'How it goes wrong', size: 26 },
          { key: 'yield_when', title: 'Yield when' },
        ]"
      />
      <RowsEditor
        v-model="lanes"
        title="Lanes by phase of the race"
        one="lane"
        :empty="{ phase: 'start', lane: 'inside', where: '', why: '' }"
        :columns="[
          { key: 'phase', title: 'When', choices: PHASES },
          { key: 'lane', title: 'Lane', choices: LANES },
          { key: 'where', title: 'Where it lies', placeholder: 'second groove' },
          { key: 'why', title: 'Why', size: 26 },
        ]"
      />
      <label class="note-field">Note <textarea v-model="form.note" class="field" rows="3" maxlength="5000" /></label>
      <TheirsNote v-if="theirs" @mine="save.mutate(theirs.version)" @theirs="(show(theirs), save.reset())"
        >Somebody else changed this corner meanwhile.</TheirsNote
      >
      <TroubleNote v-else :error="save.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :loading="save.isPending.value">Keep</WorkButton>
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.note-field {
  display: grid;
  font-size: 0.9rem;
  margin-top: 8px;
}
</style>
