<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api, type Book } from '@/shared/api/client'
import { useSettled } from '@/features/track/book'
import { readNumber } from '@/shared/format'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** Another layout of the same track: the other way round, or shorter by a link. */
const props = defineProps<{ book: Book }>()
const emit = defineEmits<{ close: [] }>()
const shown = ref(true)
const router = useRouter()
const settled = useSettled()
const form = reactive({ how: 'reversed', layout: '', from: '', to: '', link: '' })
const bad = computed(() => {
  const wrong = [form.from, form.to, form.link].find((text) => Number.isNaN(readNumber(text) ?? 0))
  if (wrong) return `“${wrong}” is not a number.`
  if (form.how === 'shortened' && (!form.from || !form.to)) return 'Say from where to where the road is left out.'
  return form.layout.trim() ? '' : 'The layout has a name.'
})
const make = useMutation({
  mutationFn: () => {
    const short = form.how === 'shortened'
    const body = {
      how: form.how as 'reversed' | 'shortened',
      layout: form.layout,
      from_m: short ? readNumber(form.from) : null,
      to_m: short ? readNumber(form.to) : null,
      link_m: short ? readNumber(form.link) : null,
    }
    return answer(api.POST('/api/layouts/{layout_id}/derive', { params: { path: { layout_id: props.book.id } }, body }))
  },
  onSuccess: async (made) => {
    shown.value = false
    await router.push({ name: 'track', params: { id: made.id } })
  },
  onSettled: settled,
})
</script>

<template>
  <v-dialog v-model="shown" max-width="620" aria-labelledby="derive-title" @after-leave="emit('close')">
    <form v-draft="`derived ${book.id}`" class="sheet part" @submit.prevent="make.mutate()">
      <h2 id="derive-title">Another layout of {{ book.track }}</h2>
      <div class="fields">
        <label
          >How
          <select v-model="form.how">
            <option value="reversed">{{ book.layout }}, the other way round</option>
            <option value="shortened">{{ book.layout }}, with a stretch left out</option>
          </select></label
        >
        <label>Its name <input v-model="form.layout" class="field" maxlength="120" required /></label>
        <template v-if="form.how === 'shortened'">
          <label
            >Left at, metres from the line <input v-model="form.from" v-reads class="field" inputmode="decimal"
          /></label>
          <label>Met again at <input v-model="form.to" v-reads class="field" inputmode="decimal" /></label>
          <label
            >Length of the link, m
            <input v-model="form.link" v-reads class="field" inputmode="decimal" placeholder="straight across"
          /></label>
        </template>
      </div>
      <p class="quiet">
        {{
          form.how === 'reversed'
            ? 'Corners are counted anew. Where braking begins can’t be known from the other direction: look through the boundaries afterwards.'
            : 'Corners that stay keep their codes, names and what is written of the road. Limits and references are read anew.'
        }}
      </p>
      <TroubleNote :error="make.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :disabled="!!bad" :loading="make.isPending.value">Make it</WorkButton>
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
        <span role="status">{{ bad }}</span>
      </div>
    </form>
  </v-dialog>
</template>
