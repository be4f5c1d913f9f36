<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { answer, api } from '@/shared/api/client'
import { useClinicSettled, useLibrary, type Correction, type Kind, type Slip } from '@/features/fix/clinic'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** What somebody says of one pass, over all rules: another kind, another corner, or that it was no mistake. */
const props = defineProps<{
  slip: Slip
  driver: string
  corner: string
  parts: { code: string; name: string | null }[]
  called: string
}>()
const { words } = useLibrary()
const settled = useClinicSettled()
const open = ref(false)
const form = reactive<{ kind: Kind | ''; cause: string; none: boolean; remark: string; like: boolean }>({
  kind: '',
  cause: '',
  none: false,
  remark: '',
  like: false,
})
function turn() {
  open.value = !open.value
  Object.assign(form, { kind: '', cause: '', none: false, remark: props.slip.remark ?? '', like: false })
}
const path = computed(() => ({
  session_id: props.slip.session_id,
  driver_id: props.driver,
  number: props.slip.run,
  lap: props.slip.lap,
  corner: props.slip.at,
}))
const body = (): Correction => ({
  kind: form.none ? null : form.kind || null,
  cause_corner: form.none ? null : form.cause || null,
  no_mistake: form.none,
  remark: form.remark || null,
  like: form.like && form.kind && !form.none ? props.slip.rule_kind : null,
})
const correct = useMutation({
  mutationFn: () =>
    answer(
      api.PUT('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/laps/{lap}/passes/{corner}', {
        params: { path: path.value },
        body: body(),
      }),
    ),
  onSuccess: () => (open.value = false),
  onSettled: settled,
})
const leave = useMutation({
  mutationFn: () =>
    answer(
      api.DELETE('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/laps/{lap}/passes/{corner}', {
        params: { path: path.value },
      }),
    ),
  onSettled: settled,
})
</script>

<template>
  <p class="row">
    <button type="button" class="link" :aria-expanded="open" @click="turn">
      It was something else<span class="visually-hidden">: {{ called }}</span>
    </button>
    <button v-if="slip.corrected" type="button" class="link" @click="leave.mutate()">
      Let the rules tell<span class="visually-hidden"> {{ called }}</span>
    </button>
  </p>
  <TroubleNote :error="correct.error.value ?? leave.error.value" />
  <form v-if="open" v-draft="`say ${slip.key} ${slip.at}`" class="fields say" @submit.prevent="correct.mutate()">
    <label
      >Kind
      <select v-model="form.kind" :disabled="form.none">
        <option value="">as the rules say</option>
        <option v-for="(told, key) in words" :key="key" :value="key">{{ told }}</option>
      </select></label
    >
    <label
      >It began at
      <select v-model="form.cause" :disabled="form.none">
        <option value="">{{ corner }}</option>
        <option v-for="part in parts" :key="part.code" :value="part.code">{{ part.code }} {{ part.name }}</option>
      </select></label
    >
    <label><input v-model="form.none" type="checkbox" /> no mistake of the driver: others, or on purpose</label>
    <label v-if="form.kind && !form.none"
      ><input v-model="form.like" type="checkbox" /> all passes like this one too</label
    >
    <label>Remark <input v-model="form.remark" type="text" maxlength="500" /></label>
    <v-btn type="submit" size="small" color="primary" :loading="correct.isPending.value">Say so</v-btn>
  </form>
</template>

<style scoped src="@/shared/theme/fix.css"></style>
<style scoped>
.link {
  font-size: 0.88rem;
}
.say {
  display: grid;
  gap: 6px;
  padding: 8px;
  border: 1px solid var(--rule);
}
.say select,
.say input[type='text'] {
  max-width: 100%;
}
</style>
