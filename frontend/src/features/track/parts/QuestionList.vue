<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api, version, type Book, type Question } from '@/shared/api/client'
import { titleOf, useSettled } from '@/features/track/book'
import { date } from '@/shared/format'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import ReferenceForm from '@/features/track/parts/ReferenceForm.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'

/** Questions about a corner, or of the whole layout: asked, answered, closed. */
const props = defineProps<{ book: Book; corner?: string }>()
const route = useRoute()
const may = useMay()
const all = computed(() => may('question.close'))
const settled = useSettled()
const items = computed(() => props.book.questions.filter((item) => !props.corner || item.corner_id === props.corner))
const open = computed(() => items.value.filter((item) => !item.closed_at))
const closed = computed(() => items.value.filter((item) => item.closed_at))
const text = ref('')
const answers = reactive<Record<string, string>>({})
const becoming = ref<Question>()
const field = ref<HTMLInputElement>()
const ask = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/layouts/{layout_id}/questions', {
        params: { path: { layout_id: props.book.id } },
        body: { corner_id: props.corner ?? null, text: text.value },
      }),
    ),
  onSuccess: () => (text.value = ''),
  onSettled: settled,
})
const reply = useMutation({
  mutationFn: (item: Question) =>
    answer(
      api.PUT('/api/questions/{question_id}', {
        params: { path: { question_id: item.id }, header: version(item.version) },
        body: { answer: answers[item.id] ?? '' },
      }),
    ),
  onSuccess: (_, item) => (answers[item.id] = ''),
  onSettled: settled,
})
const close = useMutation({
  mutationFn: ({ item, became }: { item: Question; became: 'note' | null }) =>
    answer(
      api.POST('/api/questions/{question_id}/close', {
        params: { path: { question_id: item.id }, header: version(item.version) },
        body: { became, reference: null },
      }),
    ),
  onSettled: settled,
})
const remove = useMutation({
  mutationFn: (item: Question) =>
    answer(api.DELETE('/api/questions/{question_id}', { params: { path: { question_id: item.id } } })),
  onSettled: settled,
})
const cornerOf = (item: Question) => props.book.corners.find((one) => one.id === item.corner_id)
defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <section class="sheet part" aria-labelledby="questions-title">
    <h2 id="questions-title">Open questions</h2>
    <TroubleNote :error="ask.error.value ?? reply.error.value ?? close.error.value ?? remove.error.value" />
    <p v-if="!open.length" class="quiet">
      None. What isn’t known yet about {{ corner ? 'this corner' : 'this layout' }}, ask here: a teammate may know.
    </p>
    <ul>
      <li v-for="item in open" :key="item.id">
        <p>
          <RouterLink
            v-if="!corner && cornerOf(item)"
            :to="{
              name: 'corner',
              params: { id: book.id, code: cornerOf(item)!.code },
              query: { car: route.query.car },
            }"
            >{{ titleOf(cornerOf(item)!) }}</RouterLink
          >
          <b>{{ item.text }}</b> <span class="quiet small">{{ item.asked_by }}, {{ date(item.asked_at) }}</span>
        </p>
        <p v-if="item.answer">
          “{{ item.answer }}” <span class="quiet small">{{ item.answered_by }}</span>
        </p>
        <form v-draft="`answer ${item.id}`" class="line" @submit.prevent="reply.mutate(item)">
          <input
            v-model="answers[item.id]"
            class="field"
            maxlength="1000"
            :aria-label="`Answer to: ${item.text}`"
            :placeholder="item.answer ? 'a better answer' : 'answer'"
          />
          <WorkButton size="small" type="submit" variant="outlined" :disabled="!answers[item.id]?.trim()"
            >Answer</WorkButton
          >
        </form>
        <p class="acts">
          <template v-if="all">
            <template v-if="item.answer && item.corner_id">
              <button type="button" class="link" @click="close.mutate({ item, became: 'note' })">
                Close, and keep as a note
              </button>
              <button type="button" class="link" @click="becoming = item">Close, and make it a reference</button>
            </template>
            <button type="button" class="link" @click="close.mutate({ item, became: null })">
              Close<span class="visually-hidden">: {{ item.text }}</span>
            </button>
          </template>
          <button v-if="item.mine" type="button" class="link" @click="remove.mutate(item)">
            Remove<span class="visually-hidden">: {{ item.text }}</span>
          </button>
        </p>
      </li>
    </ul>
    <form v-draft="`question ${corner ?? book.id}`" class="line" @submit.prevent="ask.mutate()">
      <input
        ref="field"
        v-model="text"
        class="field"
        maxlength="500"
        :aria-label="corner ? 'Question about this corner' : 'Question about the layout'"
        placeholder="What do you brake by in the rain?"
      />
      <WorkButton
        size="small"
        type="submit"
        variant="outlined"
        color="primary"
        :disabled="!text.trim()"
        :loading="ask.isPending.value"
        >Ask</WorkButton
      >
    </form>
    <details v-if="closed.length">
      <summary>Closed ({{ closed.length }})</summary>
      <p v-for="item in closed" :key="item.id">
        {{ item.text }}
        <template v-if="item.answer"
          >“{{ item.answer }}” <span class="quiet small">{{ item.answered_by }}</span></template
        >
        <span v-if="item.became" class="quiet small">became a {{ item.became }}</span>
      </p>
    </details>
    <ReferenceForm
      v-if="becoming && cornerOf(becoming)"
      :book="book"
      :corner="cornerOf(becoming)!"
      :from="{ thing: (becoming.answer ?? '').slice(0, 200) }"
      :closing="{ id: becoming.id, version: becoming.version }"
      @close="becoming = undefined"
    />
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 4px 0 6px;
  border-bottom: 1px solid var(--rule);
}
.small {
  font-size: 0.86rem;
}
.line {
  display: flex;
  gap: 8px;
  margin: 4px 0;
}
.line .field {
  flex: 1 1 auto;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  font-size: 0.88rem;
}
details {
  margin-top: 6px;
}
</style>
