<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api, theirsOf, version, type Book } from '@/shared/api/client'
import { useSettled } from '@/features/track/book'
import { asTyped, readIn, readNumber, typedIn } from '@/shared/format'
import { units } from '@/shared/units'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** Names of a layout and what is known of its pit lane. */
const props = defineProps<{ book: Book }>()
const emit = defineEmits<{ close: [] }>()
const shown = ref(true)
const settled = useSettled()
const form = reactive({
  version: 0,
  track: '',
  layout: '',
  kind: '',
  entry: '',
  exit: '',
  side: '',
  limit: '',
  pit_entry_note: '',
  pit_exit_note: '',
})
function show(row: Book) {
  const pit = row.pit
  Object.assign(form, {
    version: row.version,
    track: row.track,
    layout: row.layout,
    kind: row.kind,
    entry: asTyped(pit?.entry_m),
    exit: asTyped(pit?.exit_m),
    side: pit?.side ?? '',
    limit: typedIn('speed', pit?.limit_kmh),
    pit_entry_note: row.pit_entry_note ?? '',
    pit_exit_note: row.pit_exit_note ?? '',
  })
}
show(props.book)
const bad = computed(() => {
  const wrong = [form.entry, form.exit, form.limit].find((text) => Number.isNaN(readNumber(text) ?? 0))
  if (wrong) return `“${wrong}” is not a number.`
  return !form.entry !== !form.exit ? 'A pit lane has an entry and an exit.' : ''
})
const save = useMutation({
  mutationFn: (seen: number) => {
    const entry = readNumber(form.entry)
    const exit = readNumber(form.exit)
    const pit =
      entry !== null && exit !== null
        ? {
            entry_m: entry,
            exit_m: exit,
            side: (form.side || null) as 'left' | 'right' | null,
            limit_kmh: readIn('speed', form.limit, props.book.pit?.limit_kmh),
          }
        : null
    return answer(
      api.PUT('/api/layouts/{layout_id}', {
        params: { path: { layout_id: props.book.id }, header: version(seen) },
        body: {
          track: form.track,
          layout: form.layout,
          kind: form.kind,
          pit,
          pit_entry_note: form.pit_entry_note || null,
          pit_exit_note: form.pit_exit_note || null,
        },
      }),
    )
  },
  onSuccess: () => (shown.value = false),
  onSettled: settled,
})
const theirs = computed(() => theirsOf<Book>(save.error.value))
</script>

<template>
  <v-dialog v-model="shown" max-width="720" aria-labelledby="pit-title" @after-leave="emit('close')">
    <form v-draft="`pit ${book.id}`" class="sheet part" @submit.prevent="save.mutate(form.version)">
      <h2 id="pit-title">Names and pit lane</h2>
      <div class="fields">
        <label>Track <input v-model="form.track" class="field" maxlength="120" required /></label>
        <label>Layout <input v-model="form.layout" class="field" maxlength="120" required /></label>
        <label
          >Kind <input v-model="form.kind" class="field" maxlength="40" required placeholder="street, road, oval"
        /></label>
        <label
          >Pit entry, metres from the line
          <input v-model="form.entry" v-reads class="field" inputmode="decimal" maxlength="9"
        /></label>
        <label
          >Pit exit, metres from the line
          <input v-model="form.exit" v-reads class="field" inputmode="decimal" maxlength="9"
        /></label>
        <label
          >Side
          <select v-model="form.side">
            <option value="">not known</option>
            <option value="left">left</option>
            <option value="right">right</option>
          </select></label
        >
        <label
          >Limit, {{ units.speed }} <input v-model="form.limit" v-reads class="field" inputmode="decimal" maxlength="5"
        /></label>
        <label class="wide"
          >Pit entry: how it goes, where its traps are
          <textarea v-model="form.pit_entry_note" class="field" rows="3" maxlength="5000" />
        </label>
        <label class="wide"
          >Pit exit: how it goes, where its traps are
          <textarea v-model="form.pit_exit_note" class="field" rows="3" maxlength="5000" />
        </label>
      </div>
      <TheirsNote v-if="theirs" @mine="save.mutate(theirs.version)" @theirs="(show(theirs), save.reset())"
        >Somebody else changed this layout meanwhile.</TheirsNote
      >
      <TroubleNote v-else :error="save.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :disabled="!!bad" :loading="save.isPending.value">Keep</WorkButton>
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
        <span role="status">{{ bad }}</span>
      </div>
    </form>
  </v-dialog>
</template>
