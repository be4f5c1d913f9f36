<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { nextTick, ref } from 'vue'
import { answer, api, type Preview } from '@/shared/api/client'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** Rows that can't go in as they are: mended here, and the file itself stays as it came. */
const props = defineProps<{ seen: Preview }>()
const emit = defineEmits<{ mended: [] }>()
const line = ref<number>()
const cells = ref<string[]>([])
const box = ref<HTMLElement[]>([])
function open(at: number) {
  line.value = at
  cells.value = [...(props.seen.cells[String(at)] ?? [])]
  save.reset()
  void nextTick(() => {
    const wrong =
      box.value[0]?.querySelector<HTMLInputElement>('input.wrong') ??
      box.value[0]?.querySelector<HTMLInputElement>('input')
    wrong?.focus()
    wrong?.select()
  })
}
const save = useMutation({
  mutationFn: (given: string[] | null) =>
    answer(
      api.PUT('/api/lap-files/{file_id}/lines/{line}', {
        params: { path: { file_id: props.seen.id, line: line.value ?? 0 } },
        body: { cells: given },
      }),
    ),
  onSuccess: () => {
    line.value = undefined
    emit('mended')
  },
})
const isWrong = (cell: string, value: string | null, at: number, column: string | null) =>
  value ? cell === value : !!column && props.seen.header[at]?.trim().toLowerCase() === column.toLowerCase()
</script>

<template>
  <section class="sheet block" aria-labelledby="aside-title">
    <h2 id="aside-title">Rows set aside</h2>
    <p class="quiet">
      The rest goes in without them. Mend a row here and it goes in too; the file itself stays as it came.
    </p>
    <div class="scroll-x list" tabindex="0" role="region" aria-label="List of rows set aside">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col" class="number">Line</th>
            <th scope="col">Column</th>
            <th scope="col">Cell</th>
            <th scope="col">Reason</th>
            <th scope="col"><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <template v-for="row in seen.set_aside" :key="row.line">
            <tr>
              <td class="number">{{ row.line }}</td>
              <td>{{ row.column ?? '' }}</td>
              <td>
                <code v-if="row.value">{{ row.value }}</code><span v-else-if="row.column" class="quiet">empty</span>
              </td>
              <td>{{ row.reason }}<template v-if="row.differs"> with other facts</template></td>
              <td>
                <button
                  v-if="seen.cells[String(row.line)] && seen.state === 'preview'"
                  type="button"
                  class="link"
                  @click="open(row.line)"
                >
                  Mend<span class="visually-hidden"> line {{ row.line }}</span>
                </button>
              </td>
            </tr>
            <tr v-if="line === row.line">
              <td colspan="5">
                <form
                  ref="box"
                  v-draft.esc="`line ${row.line} of ${seen.id}`"
                  class="mend"
                  :aria-label="`Mend line ${row.line}`"
                  @submit.prevent="save.mutate(cells)"
                  @keydown.esc="line = undefined"
                >
                  <label v-for="(_, at) in cells" :key="at"
                    >{{ seen.header[at] || `cell ${at + 1}` }}
                    <input
                      v-model="cells[at]"
                      class="field"
                      :class="{ wrong: isWrong(seen.cells[String(row.line)]?.[at] ?? '', row.value, at, row.column) }"
                      maxlength="2000"
                    />
                  </label>
                  <TroubleNote :error="save.error.value" />
                  <span class="buttons">
                    <WorkButton size="small" type="submit" color="primary" :loading="save.isPending.value"
                      >Keep it like this</WorkButton
                    >
                    <v-btn size="small" variant="outlined" @click="line = undefined">Leave it</v-btn>
                  </span>
                </form>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <p v-if="seen.set_aside_count > seen.set_aside.length" class="quiet">
      The first {{ seen.set_aside.length }} of {{ seen.set_aside_count }} are shown.
    </p>
  </section>
</template>

<style scoped>
.block {
  padding: 10px 16px 12px;
  margin: 10px 0;
}
.list {
  max-height: 420px;
  overflow: auto;
  margin-top: 6px;
}
code {
  background: color-mix(in srgb, var(--ochre) 18%, transparent);
  padding: 0 4px;
  white-space: pre-wrap;
}
.mend {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(118px, 1fr));
  gap: 6px 10px;
  padding: 4px 0 8px;
}
.mend label {
  display: grid;
  font-size: 0.84rem;
}
.mend input {
  width: 100%;
}
.mend .wrong {
  border-color: var(--loss);
  border-width: 2px;
}
.mend .buttons {
  grid-column: 1 / -1;
  margin-top: 4px;
}
</style>
