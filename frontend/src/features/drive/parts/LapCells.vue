<script setup lang="ts">
import { type LapOnSheet, type RunSheet } from '@/shared/api/client'
import { KINDS } from '@/features/drive/runs'
import { lapTime } from '@/shared/format'

/** A lap on the sheet of its run: its times, whether and why it counts, its tyres, what was said of it. */
const props = defineProps<{ sheet: RunSheet; lap: LapOnSheet; best: number; hasSectors: boolean }>()
const emit = defineEmits<{ unsay: [remark: string] }>()
const remarksOf = (lap: LapOnSheet) => props.sheet.remarks.filter((item) => item.lap === lap.number)
const tyres = (lap: LapOnSheet) =>
  [lap.compound, lap.tyre_age !== null ? `${lap.tyre_age}` : ''].filter(Boolean).join(' · ')
</script>

<template>
  <td class="number">{{ lap.number }}</td>
  <td class="number time">
    <b v-if="lap.time_us === best && lap.counts">{{ lapTime(lap.time_us) }}</b><template v-else>{{
      lapTime(lap.time_us)
    }}</template
    ><span v-if="lap.plus_minus_us !== null" class="quiet small">
      ±{{ (lap.plus_minus_us / 1_000_000).toFixed(2) }}</span
    >
  </td>
  <template v-if="hasSectors"
    ><td v-for="code in sheet.sectors" :key="code" class="number">
      {{ lapTime(lap.sectors[code]) }}
    </td></template
  >
  <td class="short">{{ lap.kind !== 'flying' ? KINDS[lap.kind] : lap.counts ? 'yes' : 'no' }}</td>
  <td class="why" :title="lap.why">
    <span v-for="mark in lap.marks" :key="mark.mark" class="mark" :class="mark.by"
      >{{ mark.name
      }}<span class="visually-hidden"
        >, {{ mark.by === 'person' ? 'somebody said so' : mark.by === 'rule' ? 'by rule' : 'as its source says' }}</span
      ></span
    >
    <span v-for="mark in lap.overruled" :key="mark.mark" class="mark overruled">not {{ mark.name }}</span>
    <span v-for="item in lap.asked" :key="item.kind" class="asks"
      >?<span class="visually-hidden"> a question is open</span></span
    >
  </td>
  <td class="short">
    {{ tyres(lap) || '–' }}<span v-if="lap.wetness !== 'dry'"> {{ lap.wetness }}</span>
  </td>
  <td class="said">
    <span v-for="item in remarksOf(lap)" :key="item.id" class="remark"
      >{{ item.words }} <span class="quiet small">{{ item.person }}</span>
      <button type="button" class="link small" @click="emit('unsay', item.id)">
        Remove<span class="visually-hidden"> the remark: {{ item.words }}</span>
      </button></span
    >
    <span v-if="lap.note" class="quiet">{{ lap.note }}</span>
  </td>
</template>

<style scoped src="@/features/drive/run.css"></style>
