<script setup lang="ts">
import { computed, toRaw } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import type { Book, CornerTyres } from '@/shared/api/client'
import { titleOf } from '@/features/track/book'
import { perCent } from '@/shared/format'
import { useGradually } from '@/shared/charts/gradually'

/** All corners of a layout: how much each matters, what one brakes by, what is open, what tyres do there. */
const props = defineProps<{ book: Book; over?: string; tyres: Map<string, CornerTyres> }>()
const emit = defineEmits<{ over: [code: string | undefined] }>()
const route = useRoute()
/** How many of some things each corner has. */
function counts(items: { corner_id: string | null }[]): Map<string, number> {
  const out = new Map<string, number>()
  for (const item of items) if (item.corner_id) out.set(item.corner_id, (out.get(item.corner_id) ?? 0) + 1)
  return out
}
const rows = computed(() => {
  const book = toRaw(props.book)
  const standing = book.references.filter((item) => item.shown === 'standing')
  const proposed = counts(standing.filter((item) => item.state === 'proposed'))
  const checks = counts(book.checks)
  const questions = counts(book.questions.filter((item) => !item.closed_at))
  const brakes = new Map(
    standing
      .filter(
        (item) =>
          item.state === 'confirmed' &&
          (item.point === 'braking' || item.point === 'lift') &&
          item.variant === 'usual' &&
          !item.driver_id &&
          item.thing,
      )
      .reverse()
      .map((item) => [item.corner_id, item.words]),
  )
  return book.corners.map((corner) => ({
    corner,
    brake: brakes.get(corner.id),
    flat: corner.traits.some((item) => item.kind === 'flat'),
    proposed: proposed.get(corner.id),
    checks: checks.get(corner.id),
    questions: questions.get(corner.id),
    tyres: props.tyres.get(corner.code),
  }))
})
// The pictures come first.
const drawn = useGradually(() => rows.value.length, 12)
</script>

<template>
  <p v-if="!rows.length" class="quiet">None yet: draw them up under Boundaries.</p>
  <div v-else class="scroll-x" tabindex="0" role="region" aria-label="Corners of the layout">
    <table class="ledger">
      <thead>
        <tr>
          <th scope="col">Corner</th>
          <th scope="col">Matters</th>
          <th scope="col">Why</th>
          <th scope="col">What one brakes by</th>
          <th v-if="tyres.size" scope="col" class="number">Falloff</th>
          <th scope="col" class="number">Proposed</th>
          <th scope="col" class="number">Questions</th>
          <th scope="col" class="number">To see to</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="row in rows.slice(0, drawn)"
          :key="row.corner.id"
          v-memo="[row, row.corner.code === over, tyres]"
          :class="{ over: row.corner.code === over }"
          @mouseenter="emit('over', row.corner.code)"
          @mouseleave="emit('over', undefined)"
        >
          <th scope="row">
            <RouterLink
              :to="{ name: 'corner', params: { id: book.id, code: row.corner.code }, query: { car: route.query.car } }"
              >{{ titleOf(row.corner) }}</RouterLink
            >
          </th>
          <td>{{ row.corner.importance.level }}</td>
          <td class="why">{{ row.corner.importance.words }}</td>
          <td class="brake">
            <template v-if="row.brake">{{ row.brake }}</template><span v-else class="quiet">{{
              row.flat ? 'taken without a lift' : '–'
            }}</span>
          </td>
          <td v-if="tyres.size" class="number">
            <b v-if="row.tyres?.eats">{{ perCent(row.tyres.share) }}</b><template v-else-if="row.tyres">{{
              perCent(row.tyres.share)
            }}</template>
          </td>
          <td class="number">{{ row.proposed }}</td>
          <td class="number">{{ row.questions }}</td>
          <td class="number">{{ row.checks }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
tr.over td,
tr.over th {
  background: color-mix(in srgb, var(--accent) 10%, transparent);
}
.why {
  color: var(--quiet);
  min-width: 220px;
}
.brake {
  min-width: 190px;
}
</style>
