<script setup lang="ts">
import { computed, ref } from 'vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { useDrivers } from '@/shared/queries'

/** Whose laps are taken down: a driver of the team, or a guest. */
const props = defineProps<{ taken: string[]; busy?: boolean; first?: boolean }>()
const emit = defineEmits<{ open: [who: { driver_id?: string; guest?: string }] }>()
const may = useMay()
const drivers = useDrivers()
const free = computed(() => (drivers.data.value?.items ?? []).filter((item) => !props.taken.includes(item.id)))
const chosen = ref('')
const guest = ref('')
const who = computed(() => chosen.value || free.value[0]?.id || 'guest')
function open() {
  if (who.value === 'guest') emit('open', { guest: guest.value.trim() })
  else emit('open', { driver_id: who.value })
  chosen.value = ''
  guest.value = ''
}
</script>

<template>
  <form class="chooser" @submit.prevent="open">
    <TroubleNote :error="drivers.error.value" />
    <label
      >{{ first ? 'Whose laps?' : 'One more driver' }}
      <select :value="who" @change="chosen = ($event.target as HTMLSelectElement).value">
        <option v-for="item in free" :key="item.id" :value="item.id">
          {{ item.name }}{{ item.guest ? ' (guest)' : '' }}
        </option>
        <option v-if="may('drivers.see_all')" value="guest">a guest …</option>
      </select>
    </label>
    <label v-if="who === 'guest'">Name <input v-model="guest" class="field" maxlength="120" /></label>
    <WorkButton
      size="small"
      type="submit"
      :color="first ? 'primary' : undefined"
      :variant="first ? 'flat' : 'outlined'"
      :loading="busy"
      :disabled="who === 'guest' && !guest.trim()"
      >{{ first ? 'Begin' : 'Add' }}</WorkButton
    >
    <span v-if="who === 'guest'" class="quiet"
      >For comparison only: a guest’s laps are in none of the team’s figures.</span
    >
  </form>
</template>

<style scoped>
.chooser {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  margin: 8px 0;
}
.chooser label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
</style>
