<script setup lang="ts">
import { computed } from 'vue'
import DataPart from '@/features/people/parts/DataPart.vue'
import DriverPart from '@/features/people/parts/DriverPart.vue'
import InvitationPart from '@/features/people/parts/InvitationPart.vue'
import MemberPart from '@/features/people/parts/MemberPart.vue'
import RigPart from '@/features/people/parts/RigPart.vue'
import TeamPart from '@/features/people/parts/TeamPart.vue'
import { useMay } from '@/shared/session'

const may = useMay()
const manages = computed(() => may('people.see'))
</script>

<template>
  <h1>People</h1>
  <p class="quiet note">
    A manager does everything; a coach everything but people and settings; a driver sees the own laps and the team's
    best parts. A rig only delivers.
  </p>
  <template v-if="manages">
    <TeamPart />
    <MemberPart />
    <div class="pair"><InvitationPart /><RigPart /></div>
  </template>
  <DriverPart />
  <DataPart v-if="may('team.package')" />
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 420px), 1fr));
  gap: 12px;
  align-items: start;
}
</style>
