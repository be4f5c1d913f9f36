<script setup lang="ts">
import { useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api } from '@/shared/api/client'
import type { HistoryThing } from '@/shared/api/words'
import { count, moment } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useTurning } from '@/shared/turning'

const props = defineProps<{ thing?: HistoryThing; id?: string; mine?: boolean }>()
const list = useInfiniteQuery({
  queryKey: ['history', () => props.thing, () => props.id, () => props.mine],
  initialPageParam: undefined as number | undefined,
  queryFn: ({ pageParam }) =>
    answer(
      api.GET('/api/history', {
        params: { query: { thing: props.thing, id: props.id, before: pageParam, mine: props.mine ?? false } },
      }),
    ),
  getNextPageParam: (page) => page.next ?? undefined,
})
const entries = computed(() => list.data.value?.pages.flatMap((page) => page.items) ?? [])
const { turn } = useTurning()
const opened = ref<string>()
const detail = useQuery({
  queryKey: ['history-entry', opened],
  enabled: computed(() => !!opened.value),
  queryFn: () => answer(api.GET('/api/history/{entry_id}', { params: { path: { entry_id: opened.value ?? '' } } })),
})
const fields = computed(() =>
  (detail.data.value?.changes ?? []).slice(0, 20).map((change) => ({
    table: change.table.replaceAll('_', ' '),
    what: change.before === null ? 'added' : change.after === null ? 'removed' : 'changed',
    rows:
      change.before && change.after
        ? Object.keys(change.after).map((name) => ({
            name: name.replaceAll('_', ' '),
            before: words(change.before?.[name]),
            after: words(change.after?.[name]),
          }))
        : [],
    name: String((change.after ?? change.before)?.name ?? (change.after ?? change.before)?.label ?? ''),
  })),
)
const words = (value: unknown) =>
  value === null || value === undefined || value === ''
    ? 'nothing'
    : typeof value === 'object'
      ? JSON.stringify(value)
      : String(value)
</script>

<template>
  <SkeletonRows v-if="list.isPending.value" :rows="8" label="Loading the history" />
  <TroubleNote :error="list.error.value" :again="() => list.refetch()" />
  <p v-if="list.data.value && !entries.length" class="quiet note">
    Nothing yet. Whatever is added or changed from now on stands here, and can be taken back.
  </p>
  <ol class="entries">
    <li v-for="entry in entries" :key="entry.id" :class="{ back: !entry.standing, turn: entry.kind !== 'act' }">
      <span class="when quiet">{{ moment(entry.made_at) }}</span>
      <span class="text">
        <button
          v-if="entry.rows"
          type="button"
          class="summary"
          :aria-expanded="opened === entry.id"
          @click="opened = opened === entry.id ? undefined : entry.id"
        >
          {{ entry.summary }}
        </button>
        <span v-else>{{ entry.summary }}</span>
        <span class="quiet by"
          >{{ entry.rig ? `rig ${entry.rig}` : entry.person
          }}<template v-if="entry.rows"> · {{ count(entry.rows, 'row') }}</template></span
        >
        <span v-if="!entry.standing" class="tag">is taken back</span>
        <span v-if="opened === entry.id" class="detail">
          <v-progress-linear v-if="detail.isPending.value" indeterminate aria-label="Loading the change" />
          <TroubleNote :error="detail.error.value" />
          <span v-for="(field, index) in fields" :key="index" class="field">
            <b>{{ field.table }} {{ field.name }}</b> {{ field.what }}
            <span v-for="row in field.rows" :key="row.name" class="cell"
              >{{ row.name }}: <del>{{ row.before }}</del> → <ins>{{ row.after }}</ins></span
            >
          </span>
          <span v-if="detail.data.value && !fields.length"
            >Laps that came in together; they are taken back together.</span
          >
          <span v-else-if="(detail.data.value?.entry.rows ?? 0) > fields.length" class="quiet"
            >and more: {{ count(detail.data.value?.entry.rows ?? 0, 'row') }} in all.</span
          >
        </span>
      </span>
      <span class="act">
        <WorkButton
          v-if="entry.can_undo"
          size="small"
          variant="outlined"
          :loading="turn.isPending.value && turn.variables.value?.entry === entry.id"
          @click="turn.mutate({ way: 'undo', entry: entry.id })"
          >Take back<span class="visually-hidden">: {{ entry.summary }}, {{ moment(entry.made_at) }}</span></WorkButton
        >
        <WorkButton
          v-if="entry.can_redo"
          size="small"
          variant="outlined"
          :loading="turn.isPending.value && turn.variables.value?.entry === entry.id"
          @click="turn.mutate({ way: 'redo', entry: entry.id })"
          >Do again<span class="visually-hidden">: {{ entry.summary }}, {{ moment(entry.made_at) }}</span></WorkButton
        >
      </span>
    </li>
  </ol>
  <WorkButton
    v-if="list.hasNextPage.value"
    variant="outlined"
    class="mt-3"
    :loading="list.isFetchingNextPage.value"
    @click="list.fetchNextPage()"
    >Earlier ones</WorkButton
  >
</template>

<style scoped>
.entries {
  list-style: none;
  padding: 0;
}
.entries li {
  display: grid;
  grid-template-columns: 150px 1fr auto;
  gap: 2px 14px;
  align-items: baseline;
  padding: 5px 4px;
  border-bottom: 1px solid var(--rule);
  min-height: 38px;
}
.when {
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.summary {
  text-align: left;
  text-decoration: underline;
  text-decoration-color: var(--rule);
  text-underline-offset: 3px;
}
.back .summary {
  text-decoration: line-through;
  text-decoration-color: var(--quiet);
}
.by {
  margin-left: 10px;
}
.tag {
  margin-left: 8px;
  padding: 0 7px;
  border: 1px solid var(--ochre);
  border-radius: 2px;
  color: var(--ochre);
  font-size: 0.82rem;
}
.detail,
.field,
.cell {
  display: block;
}
.detail {
  margin: 4px 0 6px;
  padding-left: 12px;
  border-left: 3px solid var(--accent);
  font-size: 0.92rem;
}
.cell {
  padding-left: 12px;
  overflow-wrap: anywhere;
}
ins {
  text-decoration: none;
  font-weight: 600;
}
@media (max-width: 700px) {
  .entries li {
    grid-template-columns: 1fr auto;
  }
  .when {
    grid-column: 1 / -1;
  }
}
</style>
