<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { capital, clock, date, moment } from '@/shared/format'
import LessonsBack from '@/features/log/parts/LessonsBack.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import {
  DAY,
  declarePlace,
  ends,
  isComing,
  longer,
  MINUTE,
  moved,
  turned,
  type PlanBlock,
  type Step,
} from '@/features/plan/plan'

/** One block: what it is for, what it is worth and why, and everything that can be done with it. */
const props = defineProps<{ block: PlanBlock; driver: string; may: boolean; day?: string }>()
const emit = defineEmits<{ step: [id: string, step: Step]; close: [] }>()
const why = useMutation({
  mutationFn: () => answer(api.GET('/api/plan/why', { params: { query: { key: props.block.key, day: props.day } } })),
})
watch(
  () => props.block.id,
  () => why.reset(),
)
const place = computed(() => declarePlace(props.block))
const said = (what: 'done' | 'missed' | null) => act(() => ({ said: what }))
const act = (step: Step) => emit('step', props.block.id, step)
</script>

<template>
  <section class="sheet part" aria-labelledby="block-title">
    <h2 id="block-title">{{ driver }}: {{ block.words }}</h2>
    <p>
      {{ date(block.begins_at) }}, {{ clock(block.begins_at) }} to {{ clock(ends(block))
      }}<template v-if="block.rig">, on {{ block.rig.name }}</template
      ><template v-if="block.coach">, with {{ block.coach }}</template
      >. <span class="quiet">{{ block.series }}, {{ block.place }}</span>
    </p>
    <p v-if="block.became">
      <b :class="{ bad: ['missed', 'short', 'replaced'].includes(block.state) }">{{ capital(block.became) }}</b><span
        v-if="block.said"
        class="quiet"
        >, as somebody said</span
      >.
    </p>
    <p>{{ block.why }}</p>
    <p v-if="block.pass_mark">{{ block.pass_mark }}</p>
    <p v-for="rule in block.broken" :key="rule" class="bad">It breaks a rule: {{ rule }}.</p>
    <p v-if="!block.needed" class="quiet">What it was for is done, or gone: the next plan frees its time.</p>
    <div v-if="may" class="buttons">
      <v-btn size="small" variant="outlined" @click="act(moved(-15))">Earlier</v-btn>
      <v-btn size="small" variant="outlined" @click="act(moved(15))">Later</v-btn>
      <v-btn size="small" variant="outlined" @click="act(moved(-DAY / MINUTE))">The day before</v-btn>
      <v-btn size="small" variant="outlined" @click="act(moved(DAY / MINUTE))">The day after</v-btn>
      <v-btn size="small" variant="outlined" @click="act(longer(-5))">Shorter</v-btn>
      <v-btn size="small" variant="outlined" @click="act(longer(5))">Longer</v-btn>
      <v-btn size="small" variant="outlined" @click="act(turned)">{{
        block.locked ? 'Let it move' : 'Keep it there'
      }}</v-btn>
      <v-btn size="small" variant="outlined" @click="act(() => 'out')">Take it out</v-btn>
      <WorkButton
        v-if="isComing(block)"
        size="small"
        variant="outlined"
        :loading="why.isPending.value"
        @click="why.mutate()"
        >Why this one?</WorkButton
      >
    </div>
    <p v-if="may && (block.state !== 'coming' || !place)" class="buttons">
      <v-btn v-if="block.state !== 'done'" size="small" variant="outlined" @click="said('done')">It was done</v-btn>
      <v-btn v-if="block.state !== 'missed'" size="small" variant="outlined" @click="said('missed')"
        >It was missed</v-btn
      >
      <v-btn v-if="block.said" size="small" variant="outlined" @click="said(null)">As the laps tell</v-btn>
    </p>
    <p v-if="place && isComing(block)"><RouterLink :to="place">Declare the run</RouterLink></p>
    <TroubleNote :error="why.error.value" />
    <ul v-if="why.data.value" role="status">
      <li v-for="words in why.data.value.words" :key="words">{{ words }}</li>
      <li v-if="why.data.value.best_at">It stands best at {{ moment(why.data.value.best_at) }}.</li>
    </ul>
    <p><button type="button" class="link" @click="emit('close')">Close</button></p>
  </section>
  <LessonsBack :week="block.week_id" :driver="block.driver_id" />
</template>

<style scoped>
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 8px 0;
}
ul {
  padding-left: 18px;
}
</style>
