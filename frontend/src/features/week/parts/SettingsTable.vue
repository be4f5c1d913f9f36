<script setup lang="ts">
import { emptySetting, type SettingForm } from '@/features/week/settings'

/** Settings of a car as they are written: name, unit, range, step and default; with what each does where that is asked too. */
const rows = defineModel<SettingForm[]>({ required: true })
const props = defineProps<{ label: string; does?: boolean }>()
const KEYS = { unit: 'Unit', low: 'From', high: 'To', step: 'Step', default: 'Default' } as const
const named = (index: number) => rows.value[index]?.name || `setting ${index + 1}`
</script>

<template>
  <div class="scroll-x" tabindex="0" role="region" :aria-label="props.label">
    <table v-if="rows.length" class="ledger">
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th v-for="title in KEYS" :key="title" scope="col">{{ title }}</th>
          <th v-if="props.does" scope="col">What it does</th>
          <th scope="col"><span class="visually-hidden">Remove</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(item, index) in rows" :key="index">
          <td>
            <input v-model="item.name" class="field" maxlength="120" :aria-label="`Name of setting ${index + 1}`" />
          </td>
          <td v-for="(title, key) in KEYS" :key="key">
            <input
              v-model="item[key]"
              class="field"
              size="5"
              maxlength="20"
              :aria-label="`${named(index)}: ${title}`"
            />
          </td>
          <td v-if="props.does">
            <input
              v-model="item.does"
              class="field"
              size="40"
              maxlength="500"
              :aria-label="`${named(index)}: What it does`"
            />
          </td>
          <td>
            <button type="button" class="link" @click="rows.splice(index, 1)">
              Remove<span class="visually-hidden"> {{ named(index) }}</span>
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <v-btn size="small" variant="outlined" @click="rows.push(emptySetting())">Add a setting</v-btn>
</template>
