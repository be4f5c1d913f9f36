<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Account } from '@/shared/api/words'
import { stacked } from '@/shared/charts/stacked'
import { useWidth } from '@/shared/charts/width'

/** What laps are slower than the driver’s own good lap, each stacked from what it is owed to; what was won lies left
 * of the line. */
export interface AccountRow {
  key: string
  label: string
  /** At the end of the bar. */
  total: string
  words: string
  /** Whether it counts for the scale: a lap on cold tyres would make all others short. Longer bars are cut off. */
  counts?: boolean
  accounts: Partial<Record<Account, number | null>>
}
const props = defineProps<{
  rows: AccountRow[]
  names: Partial<Record<Account, string>>
  label: string
  here?: string
}>()
const ROW = 24
const NAMES = 150
const TOTALS = 62
const frame = ref<HTMLElement>()
const wide = useWidth(() => frame.value, 320, 1240)
const left = computed(() => (wide.value < 520 ? 92 : NAMES))
const bars = computed(() => props.rows.map((row) => stacked(row.accounts)))
/** Bars that the scale is made for: those of rows that count, or all. */
const scaled = computed(() => {
  const some = bars.value.filter((_, index) => props.rows[index]!.counts !== false)
  return some.length ? some : bars.value
})
const from = computed(() => Math.min(0, ...scaled.value.map((bar) => bar.from)))
const to = computed(() => Math.max(1, ...scaled.value.map((bar) => bar.to)))
const x = (value: number) =>
  left.value +
  ((Math.min(Math.max(value, from.value), to.value) - from.value) / (to.value - from.value)) *
    (wide.value - left.value - TOTALS)
/** A word of the piece, where it has room. */
const word = (account: Account, width: number) => {
  const name = props.names[account] ?? ''
  return width > 7 * name.length + 6 ? name : ''
}
const high = computed(() => props.rows.length * ROW + 4)
/** Accounts that any bar holds, in the order in which they are booked. */
const used = computed(() => {
  const some = new Set(bars.value.flatMap((bar) => bar.pieces.map((piece) => piece.account)))
  return (Object.keys(props.names) as Account[]).filter((account) => some.has(account))
})
</script>

<template>
  <div ref="frame">
    <ul class="key" aria-hidden="true">
      <li v-for="account in used" :key="account"><span class="swatch" :class="account" />{{ names[account] }}</li>
    </ul>
    <svg :width="wide" :height="high" :viewBox="`0 0 ${wide} ${high}`" role="img" :aria-label="label">
      <line class="base" :x1="x(0)" :x2="x(0)" y1="0" :y2="high" />
      <g v-for="(row, index) in rows" :key="row.key" :transform="`translate(0 ${index * ROW})`">
        <title>{{ row.words }}</title>
        <text class="name" :class="{ here: row.key === here }" x="0" y="16">{{ row.label }}</text>
        <template v-for="piece in bars[index]!.pieces" :key="piece.account">
          <rect
            class="piece"
            :class="piece.account"
            :x="x(piece.from)"
            y="4"
            :width="Math.max(0.5, x(piece.to) - x(piece.from))"
            :height="ROW - 8"
          />
          <text
            v-if="word(piece.account, x(piece.to) - x(piece.from))"
            class="word"
            :class="piece.account"
            :x="(x(piece.from) + x(piece.to)) / 2"
            y="16"
            text-anchor="middle"
          >
            {{ word(piece.account, x(piece.to) - x(piece.from)) }}
          </text>
        </template>
        <text v-if="bars[index]!.to > to" class="name" :x="wide - TOTALS + 2" y="16">›</text>
        <text class="total" :x="wide - 2" y="16" text-anchor="end">{{ row.total }}</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.key {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  padding: 0;
  margin: 0 0 6px;
  list-style: none;
  font-size: 0.85rem;
}
.swatch {
  display: inline-block;
  width: 11px;
  height: 11px;
  margin-right: 5px;
  background: var(--fill);
}
.piece {
  fill: var(--fill);
}
.base {
  stroke: var(--ink);
}
.name,
.total,
.word {
  fill: var(--ink);
  font-size: 12.5px;
}
.word {
  font-size: 11px;
}
.here {
  font-weight: 700;
}
.total {
  font-variant-numeric: tabular-nums;
}
.slip {
  --fill: var(--loss);
}
.carried {
  --fill: color-mix(in srgb, var(--loss) 45%, var(--sheet));
}
.tyres {
  --fill: var(--ochre);
}
.cold {
  --fill: color-mix(in srgb, var(--ochre) 40%, var(--sheet));
}
.fuel {
  --fill: color-mix(in srgb, var(--ochre) 70%, var(--ink));
}
.setup {
  --fill: var(--accent);
}
.option {
  --fill: color-mix(in srgb, var(--accent) 45%, var(--sheet));
}
.track {
  --fill: color-mix(in srgb, var(--ink) 55%, var(--sheet));
}
.traffic {
  --fill: color-mix(in srgb, var(--ink) 32%, var(--sheet));
}
.scatter {
  --fill: color-mix(in srgb, var(--ink) 14%, var(--sheet));
}
.word.slip,
.word.setup,
.word.track,
.word.tyres,
.word.fuel {
  fill: var(--sheet);
}
</style>
