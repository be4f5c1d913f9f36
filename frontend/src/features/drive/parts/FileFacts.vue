<script setup lang="ts">
import { type Preview } from '@/shared/api/client'
import { count, date, lapTime } from '@/shared/format'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** What a lap file holds, and what makes one look twice. */
defineProps<{ seen: Preview; car: string | undefined; mapping: boolean; skipping: boolean }>()
const emit = defineEmits<{ skip: []; readOtherwise: [] }>()
</script>

<template>
  <section class="sheet facts" aria-labelledby="facts-title">
    <h2 id="facts-title">{{ seen.name }}</h2>
    <p v-if="!seen.problem" class="sums">
      <span
        ><b>{{ seen.new }}</b> new</span
      >
      <span
        ><b>{{ seen.same }}</b> there already</span
      >
      <span :class="{ rust: seen.different_count }"
        ><b>{{ seen.different_count }}</b> differ from what is there</span
      >
      <span :class="{ rust: seen.set_aside_count }"
        ><b>{{ seen.set_aside_count }}</b> set aside</span
      >
      <span :class="{ ochre: seen.warnings_count }"
        ><b>{{ seen.warnings_count }}</b> {{ seen.warnings_count === 1 ? 'warning' : 'warnings' }}</span
      >
    </p>
    <p class="quiet">
      <template v-if="seen.partial">The beginning of the file: </template>{{ count(seen.rows, 'row') }},
      {{ ['comma', 'semicolon', 'tab'].includes(seen.separator) ? `separated by ${seen.separator}` : seen.separator
      }}<template v-if="seen.mended">; {{ count(seen.mended, 'line') }} mended</template
      ><template v-if="seen.runs_inferred">; runs told apart by out and in laps</template
      ><template v-if="seen.unused_columns.length">; not used: {{ seen.unused_columns.join(', ') }}</template
      >.
      {{ seen.drivers.map((driver) => `${driver.name} ${driver.laps}`).join(' · ') }}
    </p>
    <p v-if="!seen.mapping.needed && !mapping" class="quiet">
      <template v-if="seen.mapping.remembered">Columns are read as they were last time for this source.</template
      ><template v-else-if="seen.mapping.told">Columns are read as you said.</template
      ><template v-else>Columns are read by their names.</template>
      <button v-if="seen.state === 'preview'" type="button" class="link" @click="emit('readOtherwise')">
        Read them otherwise
      </button>
      <template v-for="(driver, name) in seen.mapping.names" :key="name"> {{ name }} is {{ driver }}.</template>
    </p>
    <v-alert v-if="seen.imported_before" type="info" class="mt-3">
      The same file was imported here on {{ date(seen.imported_before) }}. You can skip it: nothing would be new.
      <template #append
        ><WorkButton size="small" color="primary" :loading="skipping" @click="emit('skip')"
          >Skip it</WorkButton
        ></template
      >
    </v-alert>
    <v-alert v-if="seen.other_pace || seen.missing_parts.length" type="warning" class="mt-3" role="alert">
      Is this the right track?
      <template v-if="seen.other_pace"
        >The median lap of the file takes {{ lapTime(seen.other_pace.incoming_us) }}, that of the laps here
        {{ lapTime(seen.other_pace.stored_us) }}.</template
      >
      <template v-if="seen.missing_parts.length">
        The file has no column for {{ seen.missing_parts.join(', ') }}, which this track has.</template
      >
    </v-alert>
    <v-alert v-if="seen.other_cars.length" type="warning" class="mt-3">
      Some laps name another car: {{ seen.other_cars.join(', ') }}. They stay in groups of their own and are not
      compared with the {{ car }}.
    </v-alert>
  </section>
</template>

<style scoped src="@/features/drive/laps-in.css"></style>
