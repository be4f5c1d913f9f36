<script setup lang="ts">
import { computed } from 'vue'
import { type Preview } from '@/shared/api/client'
import { gap, lapTime } from '@/shared/format'

/** Which sessions of a file are those that are here, and what becomes of laps that are there with other facts. */
const props = defineProps<{ seen: Preview }>()
const apart = defineModel<string[]>('apart', { required: true })
const differences = defineModel<'keep' | 'take'>('differences', { required: true })
const questions = computed(() =>
  props.seen.sessions.filter(
    (item) => item.there_already || item.label !== item.stored_as || apart.value.includes(item.label),
  ),
)
const fieldWords = (fields: string[]) => fields.map((name) => name.replace('_us', '').replaceAll('_', ' ')).join(', ')

function toggle(list: string[], name: string): string[] {
  return list.includes(name) ? list.filter((item) => item !== name) : [...list, name]
}
</script>

<template>
  <section v-if="questions.length" class="sheet block" aria-labelledby="sessions-title">
    <h2 id="sessions-title">Sessions</h2>
    <p class="quiet">
      A session's label belongs to its file. Where the file's is another session than the one here, say so.
    </p>
    <div v-for="item in questions" :key="item.label">
      <v-checkbox
        v-if="item.there_already || apart.includes(item.label)"
        :model-value="apart.includes(item.label)"
        :label="
          apart.includes(item.label)
            ? `Session ${item.label} is another one; it is kept as ${item.stored_as}`
            : `Session ${item.label} is taken for the one that is here${item.certain ? '' : ', which is not certain'}; tick if it is another`
        "
        @update:model-value="apart = toggle(apart, item.label)"
      />
      <p v-else>
        Session {{ item.label }} started at another time than the one here; it is kept as {{ item.stored_as }}.
      </p>
    </div>
  </section>
  <section v-if="seen.different_count" class="sheet block" aria-labelledby="different-title">
    <h2 id="different-title">Laps that are there with other facts</h2>
    <v-radio-group v-model="differences" inline aria-labelledby="different-title">
      <v-radio value="keep" label="Keep what is there" />
      <v-radio value="take" label="Take the file's" />
    </v-radio-group>
    <div class="scroll-x list" tabindex="0" role="region" aria-label="List of laps that differ">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col" class="number">Line</th>
            <th scope="col">Driver</th>
            <th scope="col">Lap</th>
            <th scope="col" class="number">There</th>
            <th scope="col" class="number">In the file</th>
            <th scope="col" class="number">Step</th>
            <th scope="col">What differs</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in seen.different" :key="row.line">
            <td class="number">{{ row.line }}</td>
            <td>{{ row.driver }}</td>
            <td>session {{ row.session }}, run {{ row.run }}, lap {{ row.lap }}</td>
            <td class="number">{{ lapTime(row.stored_us) }}</td>
            <td class="number">{{ lapTime(row.file_us) }}</td>
            <td class="number">{{ gap(row.file_us - row.stored_us) }}</td>
            <td>{{ fieldWords(row.fields) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped src="@/features/drive/laps-in.css"></style>
