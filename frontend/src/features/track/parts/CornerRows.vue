<script setup lang="ts">
import { ref } from 'vue'
import type { CornerDraft } from '@/features/track/boundaries'

/** Corners as a table that is written in: by hand, or from a spreadsheet's rows. */
const rows = defineModel<CornerDraft[]>({ required: true })
const props = defineProps<{ here?: number; acts?: boolean }>()
const emit = defineEmits<{ here: [index: number]; merge: [index: number]; split: [index: number] }>()
const COLUMNS = { start: 'Braking', apex: 'Apex', end: 'End' } as const
const named = (row: CornerDraft, index: number) => row.code || `corner ${index + 1}`
const pasted = ref('')
const trouble = ref('')
/** Lines of a spreadsheet: code, name, start, apex, end, direction. */
function take() {
  const made: CornerDraft[] = []
  for (const [number, line] of pasted.value.split('\n').entries()) {
    if (!line.trim()) continue
    const [code = '', name = '', start = '', apex = '', end = '', direction = ''] = line
      .split(/\t|;/)
      .map((cell) => cell.trim())
    const wrong = [start, apex, end].find((cell) => !/^\d+([.,]\d+)?$/.test(cell))
    // A line of headings is let pass.
    if (wrong !== undefined && number === 0 && !/\d/.test(start + apex + end)) continue
    if (wrong !== undefined || !code) {
      trouble.value = `Line ${number + 1}: “${wrong ?? line}” is not ${wrong === undefined ? 'a corner' : 'a number of metres'}.`
      return
    }
    made.push({
      id: null,
      code,
      name,
      start,
      apex,
      end,
      direction: /^l/i.test(direction) ? 'left' : /^r/i.test(direction) ? 'right' : '',
      linked: false,
    })
  }
  trouble.value = ''
  pasted.value = ''
  rows.value = [...rows.value, ...made]
}
</script>

<template>
  <div class="scroll-x" tabindex="0" role="region" aria-label="Corners">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Code</th>
          <th scope="col">Name</th>
          <th v-for="title in COLUMNS" :key="title" scope="col" class="number">{{ title }}, m</th>
          <th scope="col">Bends</th>
          <th scope="col" title="Time is given up here for the next corner">For the next</th>
          <th scope="col"><span class="visually-hidden">What to do</span></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(row, index) in rows"
          :key="row.id ?? `new ${index}`"
          :class="{ here: index === props.here }"
          @focusin="emit('here', index)"
        >
          <td>
            <input
              v-model="row.code"
              class="field"
              size="4"
              maxlength="120"
              :aria-label="`Code of corner ${index + 1}`"
            />
          </td>
          <td>
            <input
              v-model="row.name"
              class="field"
              size="13"
              maxlength="120"
              :aria-label="`${named(row, index)}: name`"
            />
          </td>
          <td v-for="(title, key) in COLUMNS" :key="key" class="number">
            <input
              v-model="row[key]"
              v-reads
              class="field number"
              size="6"
              inputmode="decimal"
              maxlength="10"
              :aria-label="`${named(row, index)}: ${title}`"
            />
          </td>
          <td>
            <select v-model="row.direction" :aria-label="`${named(row, index)}: bends`">
              <option value="">–</option>
              <option value="left">left</option>
              <option value="right">right</option>
            </select>
          </td>
          <td>
            <input v-model="row.linked" type="checkbox" :aria-label="`${named(row, index)}: given up for the next`" />
          </td>
          <td class="acts">
            <template v-if="acts">
              <button type="button" class="link" :disabled="index === rows.length - 1" @click="emit('merge', index)">
                Merge<span class="visually-hidden"> {{ named(row, index) }} with the next</span>
              </button>
              <button type="button" class="link" @click="emit('split', index)">
                Split<span class="visually-hidden"> {{ named(row, index) }}</span>
              </button>
            </template>
            <button v-else type="button" class="link" @click="rows = rows.filter((_, place) => place !== index)">
              Remove<span class="visually-hidden">: {{ named(row, index) }}</span>
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <template v-if="!acts">
    <div class="buttons">
      <v-btn
        size="small"
        variant="outlined"
        @click="
          rows = [
            ...rows,
            {
              id: null,
              code: `T${rows.length + 1}`,
              name: '',
              start: '',
              apex: '',
              end: '',
              direction: '',
              linked: false,
            },
          ]
        "
        >Add a corner</v-btn
      >
    </div>
    <label class="paste"
      >or rows of a spreadsheet: code, name, braking begins, apex, end, left or right
      <textarea v-model="pasted" class="field" rows="3" />
    </label>
    <v-btn size="small" variant="outlined" :disabled="!pasted.trim()" @click="take">Take these rows</v-btn>
    <p v-if="trouble" class="bad" role="alert">{{ trouble }}</p>
  </template>
</template>

<style scoped>
td,
th {
  padding-inline: 5px !important;
}
tr.here td {
  background: color-mix(in srgb, var(--accent) 12%, transparent);
}
.acts {
  white-space: nowrap;
}
.acts .link {
  margin-right: 10px;
}
.paste {
  display: grid;
  font-size: 0.9rem;
  margin: 8px 0 4px;
}
</style>
