<script setup lang="ts">
import type { Schemas } from '@/shared/api/client'
import NumberField from './NumberField.vue'
import { clockOf, hourOf } from '@/features/plan/plan'

/** What plans and lineups weigh: each setting by what it does, with its value and what it usually is. */
const settings = defineModel<Schemas['PlanSettingOut'][]>({ required: true })
const isHour = (key: string) => key.endsWith('_hour')
</script>

<template>
  <section class="sheet part" aria-labelledby="planning-title">
    <h2 id="planning-title">How plans are made</h2>
    <p class="quiet">
      What plans and lineups go by, for the whole team. A driver’s own limits and quiet hours, on their profile, come
      before these.
    </p>
    <div class="scroll-x" tabindex="0" role="group" aria-label="Settings of planning">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Setting</th>
            <th scope="col">Value</th>
            <th scope="col">Usually</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in settings" :key="item.key">
            <th scope="row">{{ item.words }}</th>
            <td>
              <input
                v-if="isHour(item.key)"
                :value="clockOf(item.value)"
                class="field"
                type="time"
                required
                :aria-label="item.words"
                @change="item.value = hourOf(($event.target as HTMLInputElement).value) ?? item.value"
              />
              <NumberField v-else v-model="item.value" :label="item.words" />
            </td>
            <td class="quiet">
              {{ isHour(item.key) ? clockOf(item.usual) : item.usual }}
              <button
                v-if="item.value !== item.usual"
                type="button"
                class="link"
                :aria-label="`As usual: ${item.words}`"
                @click="item.value = item.usual"
              >
                As usual
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
th[scope='row'] {
  font-weight: 400;
}
</style>
