<script setup lang="ts" generic="Row extends object">
/** A short list of things that have a few words each: a row a thing, with a choice or a text in each field. */
export interface Column {
  key: string
  title: string
  choices?: Record<string, string>
  size?: number
  placeholder?: string
}
const rows = defineModel<Row[]>({ required: true })
const props = defineProps<{ title: string; one: string; columns: Column[]; empty: Row }>()
const text = (row: Row, key: string) => String((row as Record<string, unknown>)[key] ?? '')
function write(index: number, key: string, value: string) {
  rows.value = rows.value.map((row, place) => (place === index ? { ...row, [key]: value } : row))
}
</script>

<template>
  <fieldset class="rows">
    <legend>{{ props.title }}</legend>
    <div v-for="(row, index) in rows" :key="index" class="row">
      <label v-for="column in columns" :key="column.key" :class="{ wide: !column.choices }">
        <span class="visually-hidden">{{ props.one }} {{ index + 1 }}: </span>{{ column.title }}
        <select
          v-if="column.choices"
          :value="text(row, column.key)"
          @change="write(index, column.key, ($event.target as HTMLSelectElement).value)"
        >
          <option v-for="(words, value) in column.choices" :key="value" :value="value">{{ words }}</option>
        </select>
        <input
          v-else
          class="field"
          maxlength="200"
          :size="column.size ?? 16"
          :placeholder="column.placeholder"
          :value="text(row, column.key)"
          @input="write(index, column.key, ($event.target as HTMLInputElement).value)"
        />
      </label>
      <button type="button" class="link" @click="rows = rows.filter((_, place) => place !== index)">
        Remove<span class="visually-hidden"> {{ props.one }} {{ index + 1 }}</span>
      </button>
    </div>
    <button type="button" class="link" @click="rows = [...rows, { ...props.empty }]">Add {{ props.one }}</button>
  </fieldset>
</template>

<style scoped>
.rows {
  border: 0;
  border-top: 1px solid var(--rule);
  min-width: 0;
  padding: 6px 0 4px;
  margin: 0;
}
legend {
  font-weight: 600;
  padding: 0 8px 0 0;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 10px;
  padding: 2px 0;
}
.row label {
  display: flex;
  align-items: center;
  gap: 5px;
  font-size: 0.9rem;
  color: var(--quiet);
  white-space: nowrap;
}
.row .wide {
  flex: 1 1 150px;
}
.row .field {
  flex: 1 1 auto;
  min-width: 0;
}
@media (min-width: 900px) {
  .row {
    flex-wrap: nowrap;
  }
  .row .wide {
    min-width: 0;
  }
  .row .wide .field {
    width: 0;
  }
}
</style>
