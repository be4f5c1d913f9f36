<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { forgetDraft } from '@/shared/drafts'
import { answer, api, type RunContext } from '@/shared/api/client'
import ContextForm from '@/features/drive/parts/ContextForm.vue'
import DriveHead from '@/features/drive/parts/DriveHead.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { contextWords, emptyContext, PURPOSES, useRunsSettled } from '@/features/drive/runs'
import { useDrivers } from '@/shared/queries'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const settled = useRunsSettled()
const drivers = useDrivers()
const people = computed(() => (drivers.data.value?.items ?? []).filter((item) => !item.guest))
const driverId = computed({
  get: () => (people.value.find((item) => item.id === route.query.driver) ?? people.value[0])?.id ?? '',
  set: (id) => router.replace({ query: { ...route.query, driver: id } }),
})
const template = useQuery({
  queryKey: ['template', () => props.id, driverId],
  enabled: computed(() => !!driverId.value),
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/template', {
        params: { path: { combination_id: props.id, driver_id: driverId.value } },
      }),
    ),
})
const context = ref<RunContext>(emptyContext())
const form = ref<InstanceType<typeof ContextForm>>()
const wrong = ref('')
const checked = ref<string[]>([])
const asked = ref(false)
const touched = ref(false)
watch(driverId, () => {
  asked.value = false
  touched.value = false
})
watch(
  () => template.data.value,
  (given) => {
    // What somebody else does meanwhile must not take away what was typed.
    if (!given || touched.value) return
    // What is proposed is a copy: the kept answer stays as it came.
    context.value = JSON.parse(JSON.stringify(given.context)) as RunContext
    // Who comes from the clinic or the plan has said what for, and knows what to watch.
    if (typeof route.query.purpose === 'string' && route.query.purpose in PURPOSES)
      context.value.purpose = route.query.purpose as RunContext['purpose']
    if (typeof route.query.watch === 'string') context.value.watch = [route.query.watch]
    void nextTick(() => form.value?.show(context.value))
  },
  { immediate: true },
)
function changed() {
  asked.value = false
  touched.value = true
}
const checks = useMutation({
  meta: { check: true },
  mutationFn: () =>
    answer(
      api.POST('/api/combinations/{combination_id}/runs/check', {
        params: { path: { combination_id: props.id } },
        body: { driver_id: driverId.value, context: context.value },
      }),
    ),
  onSuccess: () => {
    asked.value = true
    checked.value = []
  },
})
watch(
  () => asked.value && checks.data.value,
  (shown) => shown && void nextTick(() => list.value?.querySelector<HTMLInputElement>('input')?.focus()),
)
const list = ref<HTMLElement>()
const declareButton = ref<{ $el: HTMLElement }>()
const declare = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/combinations/{combination_id}/runs', {
        params: { path: { combination_id: props.id } },
        body: { driver_id: driverId.value, context: context.value, done: checked.value },
      }),
    ),
  onSuccess: async () => {
    forgetDraft(`run ${props.id}`)
    await settled()
    await router.push({ name: 'runs', params: { id: props.id } })
  },
})
const left = computed(() => (checks.data.value?.items ?? []).filter((item) => !checked.value.includes(item.key)))
const WHY: Record<string, string> = {
  changed: 'changed',
  unseen: 'nothing else can tell',
  first: 'first run',
  warning: 'take care',
}

/** Enter ticks a line off and goes to the next; behind the last one, the run is declared. */
function onKey(event: KeyboardEvent) {
  const boxes = [...(list.value?.querySelectorAll<HTMLInputElement>('input[type=checkbox]') ?? [])]
  const at = boxes.indexOf(event.target as HTMLInputElement)
  if (at < 0) return
  if (event.key === 'Enter') {
    event.preventDefault()
    const key = boxes[at]?.value ?? ''
    if (!checked.value.includes(key)) checked.value = [...checked.value, key]
    if (boxes[at + 1]) boxes[at + 1]?.focus()
    else void nextTick(() => declareButton.value?.$el.focus())
  } else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    event.preventDefault()
    boxes[at + (event.key === 'ArrowDown' ? 1 : -1)]?.focus()
  } else if (event.key === 'Escape') asked.value = false
}
</script>

<template>
  <DriveHead :id="id" title="Declare a run" />
  <TroubleNote
    :error="drivers.error.value ?? template.error.value"
    :again="() => (drivers.refetch(), template.refetch())"
  />
  <SkeletonRows v-if="drivers.isPending.value" :rows="5" label="Loading the drivers" />
  <section v-else-if="!people.length" class="sheet empty">
    <h2>Nobody to drive</h2>
    <p>A run is some driver’s. Add drivers under Team, or ask a manager to match you with one.</p>
    <v-btn color="primary" :to="{ name: 'team' }">Team</v-btn>
  </section>
  <form v-else v-draft="`run ${id}`" class="sheet part" @submit.prevent="wrong ? undefined : checks.mutate()">
    <div class="who">
      <label
        >Driver
        <select v-model="driverId">
          <option v-for="item in people" :key="item.id" :value="item.id">{{ item.name }}</option>
        </select></label
      >
      <p class="quiet">
        <template v-if="template.data.value?.from_run"
          >Filled in from {{ template.data.value.from_run }}: change what is other.</template
        >
        <template v-else-if="template.data.value"
          >The first run here: what is typed now is the template of the next.</template
        >
      </p>
    </div>
    <ContextForm
      v-if="template.data.value"
      ref="form"
      v-model="context"
      :template="template.data.value"
      @wrong="wrong = $event"
      @input="changed"
      @change="changed"
    />
    <TroubleNote :error="checks.error.value" />
    <div v-if="!asked" class="buttons">
      <WorkButton
        type="submit"
        color="primary"
        :disabled="!!wrong || !template.data.value"
        :loading="checks.isPending.value"
        >On to the check</WorkButton
      >
      <span class="quiet key"><kbd>Enter</kbd></span>
      <span class="quiet" role="status">{{ wrong }}</span>
    </div>
  </form>

  <section v-if="asked && checks.data.value" class="sheet part" aria-labelledby="check-title">
    <h2 id="check-title">Before you drive off</h2>
    <p class="quiet">{{ contextWords(context) }}</p>
    <ul ref="list" class="checks" @keydown="onKey">
      <li v-for="item in checks.data.value.items" :key="item.key">
        <label
          ><input v-model="checked" type="checkbox" :value="item.key" /> <span>{{ item.words }}</span>
          <span class="quiet small">{{ WHY[item.why] }}</span></label
        >
      </li>
    </ul>
    <TroubleNote :error="declare.error.value" />
    <div class="buttons">
      <WorkButton ref="declareButton" color="primary" :loading="declare.isPending.value" @click="declare.mutate()"
        >Declare the run</WorkButton
      >
      <v-btn variant="outlined" @click="asked = false">Change it</v-btn>
      <span class="quiet" role="status"
        >{{ left.length ? `${left.length} not ticked off: that stays with the run.` : 'All ticked off.' }}
        <kbd>Enter</kbd> ticks a line off.</span
      >
    </div>
    <p class="quiet small care">
      Long runs tire. Breaks, water and the wheel’s emergency stop belong to the check too; what works here is no guide
      for a real road.
    </p>
  </section>
  <p class="quiet small">
    Laps that arrive next, typed, timed, from a rig or a file, belong to this run. Nothing else to do:
    <RouterLink :to="{ name: 'type-laps', params: { id } }">type them</RouterLink> or drive.
  </p>
</template>

<style scoped>
.who {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: baseline;
}
.checks {
  list-style: none;
  padding: 0;
  margin: 8px 0;
}
.checks label {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
  font-size: 1.05rem;
}
.small {
  font-size: 0.88rem;
}
.key {
  align-self: center;
}
.care {
  margin-top: 10px;
}
</style>
