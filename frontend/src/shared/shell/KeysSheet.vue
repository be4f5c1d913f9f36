<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

const open = defineModel<boolean>({ required: true })
type Key = [string, string]
const route = useRoute()
const everywhere: Key[] = [
  ['Ctrl K', 'Go to a driver, week, combination, track, car, corner or run'],
  ['Ctrl Z', 'Take back your last step (outside of text fields)'],
  ['Ctrl Y', 'Do it again'],
  ['?', 'This list'],
  ['Tab, Enter', 'From one control to the next; press it'],
  ['Esc', 'Close what is open'],
]
const ofPage: Partial<Record<string, Key[]>> = {
  week: [
    ['← →', 'The week before, the week after; in the board: from cell to cell'],
    ['↑ ↓, Home, End', 'In the board: from driver to driver; the first, the last column'],
    ['Enter', 'In the board: enter the driver, or open the entry'],
    ['M', 'In the board: pick the entry up; arrows and Enter put it somewhere else'],
    ['Delete', 'In the board: take the driver out of the week'],
    ['Page Up, Page Down', 'In the board: the week before, the week after'],
  ],
  corner: [
    ['← →', 'The corner before, the corner after'],
    ['R', 'Write or propose a reference'],
    ['E', 'Change what is written of the corner'],
    ['Q', 'Ask a question about it'],
  ],
  track: [
    ['C', 'To the first corner'],
    ['← →, Enter', 'In the strip: from corner to corner; open it'],
  ],
  run: [
    ['↑ ↓', 'From lap to lap'],
    ['Space, A', 'Tick a lap for changes of many at once; tick all'],
    ['X', 'The lap counts, or it doesn’t: turned round'],
    ['E', 'Facts and marks of the lap, or of those that are ticked'],
    ['R', 'Remark on the lap'],
    ['C', 'Confirm what is supposed of a run that arrived undeclared'],
    ['← →', 'The run before, the run after'],
  ],
  plan: [
    ['Tab, Enter', 'From block to block; open it'],
    ['← →', 'The day before, the day after'],
    ['↑ ↓', 'A quarter of an hour earlier, later'],
    ['+ −', 'Five minutes longer, shorter'],
    ['L', 'It stays there, or may move again'],
    ['Delete', 'Take it out'],
  ],
  live: [['1 … 9', 'Remark on the run at that place, while watching']],
  declare: [
    ['Enter', 'On to the check; in the check: tick a line off; behind the last: declare'],
    ['↑ ↓', 'In the check: from line to line'],
  ],
  'type-laps': [
    ['Digits, Enter', 'A lap; after the first one its last digits are enough'],
    ['↑', 'Mend the last lap'],
    ['+ −', 'The next driver, the driver before'],
    ['?', 'In a lane: the letters behind a time'],
    ['Esc', 'Leave the line empty'],
  ],
  'time-laps': [
    ['1 to 4', 'That driver crosses the next line'],
    ['Shift and 1 to 4', 'A sector line was missed'],
    ['Space', 'While the clip runs: the car crosses a line'],
  ],
  card: [
    ['H', 'Cover the lines, or show them all'],
    ['N or ↓, ↑', 'While they are covered: uncover the next, cover the last again'],
  ],
  boundaries: [
    ['← →, Enter', 'In the strip: from corner to corner; take it up'],
    ['← →, Shift', 'On a handle: move the boundary by 1 m, with Shift by 10 m'],
    ['Page Up, Page Down', 'On a handle: by 50 m'],
  ],
  traces: [
    ['← →, Shift', 'Read at the next place; with Shift, further on'],
    ['[ ]', 'To the corner before, the corner after'],
    ['+ − 0', 'Look nearer, from further away, at the whole lap'],
    ['Page Up, Page Down', 'The stretch before, the stretch after'],
    ['Home, End', 'Read at the left, at the right edge'],
  ],
  'find-layout': [['← →, Shift', 'On a handle: move the boundary by 1 m, with Shift by 10 m']],
  combination: [
    ['← →', 'In the strip: the lap before, the lap after'],
    ['↑ ↓', 'In the strip: the part above, the part below'],
    ['Home, End', 'In the strip: the first lap, the last lap'],
    ['N', 'In the strip: on to the next pass that lost 0.2 s or more'],
  ],
}
const keys = computed(() => [...(ofPage[String(route.name)] ?? []), ...everywhere])
</script>

<template>
  <v-dialog v-model="open" max-width="520" aria-labelledby="keys-title">
    <div class="sheet keys">
      <h2 id="keys-title">Keys of this page</h2>
      <table class="ledger">
        <tbody>
          <tr v-for="[key, does] in keys" :key="key">
            <th scope="row">{{ key }}</th>
            <td>{{ does }}</td>
          </tr>
        </tbody>
      </table>
      <v-btn color="primary" @click="open = false">Close</v-btn>
    </div>
  </v-dialog>
</template>

<style scoped>
.keys {
  padding: 18px 22px;
}
.keys table {
  margin: 10px 0 16px;
}
.keys th {
  border-bottom: 1px solid var(--rule);
  white-space: nowrap;
  color: var(--ink);
}
</style>
