<script setup lang="ts">
import type { Board, BoardNeed } from '@/shared/api/client'
import { inWords, moment } from '@/shared/format'
import { differenceWords } from '@/shared/words'

defineProps<{ board: Board; title: string }>()
const emit = defineEmits<{ act: [need: BoardNeed] }>()
</script>

<template>
  <section class="needs" aria-labelledby="needs-title">
    <h2 id="needs-title">{{ title }}</h2>
    <p v-if="!board.needs.length && !board.backup" class="quiet">Nothing just now.</p>
    <ul v-else>
      <li v-if="board.backup">
        <span class="words">
          The backup that was due isn't made: {{ board.backup.trouble }}
          <span class="quiet"
            >It failed {{ board.backup.failures > 1 ? `${board.backup.failures} times, last ` : ''
            }}{{ moment(board.backup.at)
            }}<template v-if="board.backup.again_at"> and is tried again {{ moment(board.backup.again_at) }}</template
            >. Tell whoever runs this installation.</span
          >
        </span>
      </li>
      <li v-for="need in board.needs" :key="need.kind + need.week_id + need.entry_ids.join()">
        <span class="words">
          {{ need.words }}<template v-if="need.differences.length">: {{ differenceWords(need.differences) }}</template>
          <span class="quiet due" :title="moment(need.due)"
            >{{ inWords(need.due, board.now) }}<span class="visually-hidden">, {{ moment(need.due) }}</span></span
          >
        </span>
        <button type="button" @click="emit('act', need)">
          {{ need.action }}<span class="visually-hidden">: {{ need.words }}</span>
        </button>
      </li>
    </ul>
    <p v-if="board.more_needs" class="quiet more">{{ board.more_needs }} more, once these are done.</p>
  </section>
</template>

<style scoped>
.needs {
  border-left: 4px solid var(--loss);
  padding: 0 0 0 10px;
}
h2 {
  font-size: 1rem;
}
ul {
  list-style: none;
  padding: 0;
  columns: 2 440px;
  column-gap: 26px;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 10px;
  break-inside: avoid;
  border-bottom: 1px solid var(--rule);
  padding: 1px 0;
  line-height: 1.3;
}
.words {
  min-width: 0;
}
.due {
  white-space: nowrap;
  margin-left: 4px;
  font-size: 0.88rem;
}
button {
  color: var(--accent);
  text-decoration: underline;
  white-space: nowrap;
  font-size: 0.92rem;
}
.more {
  font-size: 0.88rem;
}
</style>
