<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { answer, api, fileBody, Trouble, type Book, type Corner, type Reference } from '@/shared/api/client'
import { LASTS, POINTS, useSettled, VARIANTS } from '@/features/track/book'
import { date } from '@/shared/format'
import HistoryList from '@/shared/parts/HistoryList.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import ReferenceForm from '@/features/track/parts/ReferenceForm.vue'
import { useMay } from '@/shared/session'

/** What one goes by in a corner, point by point: what stands first, then candidates, other cars' numbers, and what was before. */
const props = defineProps<{ book: Book; corner: Corner; lit?: string[] }>()
const may = useMay()
const all = computed(() => may('reference.confirm'))
const settled = useSettled()
const own = computed(() => props.book.references.filter((item) => item.corner_id === props.corner.id))
const rank = (item: Reference) => (item.shown === 'carried' ? 2 : item.state === 'confirmed' ? 0 : 1)
const groups = computed(() =>
  (Object.keys(POINTS) as Reference['point'][])
    .map((point) => ({
      point,
      items: own.value
        .filter((item) => item.point === point && item.shown !== 'earlier')
        .sort((a, b) => rank(a) - rank(b)),
    }))
    .filter((group) => group.items.length),
)
const earlier = computed(() => own.value.filter((item) => item.shown === 'earlier'))
const editing = ref<Reference>()
const writing = ref<Partial<Reference>>()
const said = ref('')
/** Whose changes are looked at. */
const past = ref<string>()
type Act = 'confirm' | 'decline' | 'carry' | 'remove' | 'unpicture'
const change = useMutation({
  mutationFn: async ({ act, item }: { act: Act; item: Reference }) => {
    const params = { path: { reference_id: item.id } }
    if (act === 'confirm') await answer(api.POST('/api/references/{reference_id}/confirm', { params }))
    else if (act === 'decline') await answer(api.POST('/api/references/{reference_id}/decline', { params }))
    else if (act === 'carry')
      await answer(api.POST('/api/references/{reference_id}/carry', { params, body: { car_id: props.book.car_id! } }))
    else if (act === 'unpicture') await answer(api.DELETE('/api/references/{reference_id}/picture', { params }))
    else await answer(api.DELETE('/api/references/{reference_id}', { params }))
  },
  onSuccess: (_, { act, item }) => {
    said.value = {
      confirm: `Confirmed: ${item.words}.`,
      decline: `Declined: ${item.words}.`,
      carry: `Confirmed for ${car.value}: ${item.words}.`,
      remove: 'Removed; Ctrl Z brings it back.',
      unpicture: 'The picture is taken off.',
    }[act]
  },
  onSettled: settled,
})
const send = useMutation({
  mutationFn: async ({ item, file }: { item: Reference; file: File }) => {
    if (file.size > 8_000_000)
      throw new Trouble(
        `${file.name} has ${Math.ceil(file.size / 1e6)} MB; a picture may have 8 MB. Save it smaller and try again.`,
      )
    await answer(
      api.POST('/api/references/{reference_id}/picture', {
        params: { path: { reference_id: item.id } },
        ...fileBody(file),
      }),
    )
  },
  onSettled: settled,
})
const car = computed(() => props.book.cars.find((item) => item.id === props.book.car_id)?.name ?? '')
function picked(event: Event, item: Reference) {
  const input = event.target as HTMLInputElement
  if (input.files?.[0]) send.mutate({ item, file: input.files[0] })
  input.value = ''
}
const replaced = (item: Reference): Partial<Reference> => ({ ...item, car_id: props.book.car_id, version: 0 })
function write(from: Partial<Reference> = {}) {
  writing.value = from
}
defineExpose({ write })
</script>

<template>
  <section class="sheet part" aria-labelledby="references-title">
    <div class="head">
      <h2 id="references-title">What one goes by</h2>
      <v-btn size="small" color="primary" variant="outlined" @click="write()">{{
        all ? 'Write a reference' : 'Propose a reference'
      }}</v-btn>
    </div>
    <TroubleNote :error="change.error.value ?? send.error.value" />
    <p class="visually-hidden" role="status">{{ said }}</p>
    <p v-if="!groups.length" class="quiet">
      Nothing is written yet. What do you look for when you brake, turn in, reach the apex, go back to the throttle?
    </p>
    <template v-for="group in groups" :key="group.point">
      <h3>
        <span aria-hidden="true">{{ POINTS[group.point].sign }}</span> {{ POINTS[group.point].title }}
      </h3>
      <ul>
        <li
          v-for="item in group.items"
          :key="item.id"
          :class="[item.shown, item.state, { lit: lit?.includes(item.id) }]"
        >
          <p class="words">{{ item.words }}.</p>
          <p class="quiet small">
            <span class="tag" :class="item.shown === 'carried' ? 'carried' : item.state">{{
              item.shown === 'carried' ? `from the ${item.from_car}` : item.state
            }}</span>
            <span v-if="item.variant !== 'usual'" class="tag">{{ VARIANTS[item.variant] }}</span>
            <span v-if="item.driver" class="tag">{{ item.driver }}</span>
            <span v-if="item.lasts !== 'fixed'" class="tag weak">{{ LASTS[item.lasts] }}</span>
            {{ item.sure }} · {{ item.proposed_by }}, {{ date(item.proposed_at)
            }}<template v-if="item.state === 'confirmed' && item.settled_by">
              · confirmed by {{ item.settled_by }}</template
            >
          </p>
          <p v-if="item.note" class="small">{{ item.note }}</p>
          <a v-if="item.picture_id" :href="`/api/pictures/${item.picture_id}.jpg`" target="_blank" rel="noopener"
            ><img
              :src="`/api/pictures/${item.picture_id}.jpg`"
              :alt="`Picture of: ${item.thing || item.words}`"
              loading="lazy"
          /></a>
          <div v-if="past === item.id" class="past"><HistoryList :id="item.id" thing="reference_point" /></div>
          <p class="acts">
            <template v-if="item.shown === 'carried'">
              <button
                v-if="all && book.car_id"
                type="button"
                class="link"
                @click="change.mutate({ act: 'carry', item })"
              >
                Confirm for the {{ car }}<span class="visually-hidden">: {{ item.words }}</span>
              </button>
              <button type="button" class="link" @click="write(replaced(item))">
                Replace<span class="visually-hidden">: {{ item.words }}</span>
              </button>
            </template>
            <template v-else>
              <button
                v-if="all && item.state === 'proposed'"
                type="button"
                class="link"
                @click="change.mutate({ act: 'confirm', item })"
              >
                Confirm<span class="visually-hidden">: {{ item.words }}</span>
              </button>
              <button v-if="all" type="button" class="link" @click="change.mutate({ act: 'decline', item })">
                Decline<span class="visually-hidden">: {{ item.words }}</span>
              </button>
              <template v-if="item.mine">
                <button type="button" class="link" @click="editing = item">
                  Change<span class="visually-hidden">: {{ item.words }}</span>
                </button>
                <label class="link"
                  >{{ item.picture_id ? 'Another picture' : 'Add a picture'
                  }}<span class="visually-hidden">: {{ item.words }}</span
                  ><input
                    class="visually-hidden"
                    type="file"
                    accept="image/png,image/jpeg"
                    @change="picked($event, item)"
                /></label>
                <button
                  v-if="item.picture_id"
                  type="button"
                  class="link"
                  @click="change.mutate({ act: 'unpicture', item })"
                >
                  Take the picture off<span class="visually-hidden">: {{ item.words }}</span>
                </button>
                <button type="button" class="link" @click="change.mutate({ act: 'remove', item })">
                  Remove<span class="visually-hidden">: {{ item.words }}</span>
                </button>
              </template>
              <button
                type="button"
                class="link"
                :aria-expanded="past === item.id"
                @click="past = past === item.id ? undefined : item.id"
              >
                History<span class="visually-hidden">: {{ item.words }}</span>
              </button>
            </template>
          </p>
        </li>
      </ul>
    </template>
    <details v-if="earlier.length">
      <summary>Earlier ones ({{ earlier.length }})</summary>
      <ul>
        <li v-for="item in earlier" :key="item.id" class="earlier">
          <p>
            {{ item.words }}.
            <span class="quiet small"
              >{{ item.state }}<template v-if="item.settled_by">, {{ item.settled_by }}</template> ·
              {{ item.proposed_by }}, {{ date(item.proposed_at) }}</span
            >
          </p>
          <p v-if="all" class="acts">
            <button type="button" class="link" @click="change.mutate({ act: 'confirm', item })">
              Confirm again<span class="visually-hidden">: {{ item.words }}</span>
            </button>
          </p>
        </li>
      </ul>
    </details>
    <ReferenceForm v-if="editing" :book="book" :corner="corner" :reference="editing" @close="editing = undefined" />
    <ReferenceForm v-if="writing" :book="book" :corner="corner" :from="writing" @close="writing = undefined" />
  </section>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 14px;
}
.head .v-btn {
  margin-left: auto;
}
h3 {
  font-size: 0.95rem;
  margin: 8px 0 1px;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 3px 8px 4px 10px;
  border-left: 3px solid var(--rule);
  margin-bottom: 4px;
}
li.confirmed {
  border-color: var(--accent);
}
li.confirmed .words {
  font-weight: 600;
}
li.carried {
  border-color: var(--rule);
  border-left-style: dashed;
}
li.carried .words {
  color: var(--quiet);
  font-weight: 400;
  font-style: italic;
}
li.lit {
  background: color-mix(in srgb, var(--ochre) 16%, transparent);
}
.small {
  font-size: 0.86rem;
}
.tag {
  display: inline-block;
  border: 1px solid var(--quiet);
  border-radius: 2px;
  padding: 0 6px;
  margin-right: 6px;
  font-size: 0.8rem;
}
.tag.confirmed {
  border-color: var(--accent);
  color: var(--accent);
}
.tag.weak {
  border-color: var(--ochre);
  color: var(--ochre);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  font-size: 0.88rem;
}
label.link {
  color: var(--accent);
  text-decoration: underline;
  cursor: pointer;
}
label.link:focus-within {
  outline: 2px solid var(--accent);
}
img {
  display: block;
  max-width: 220px;
  max-height: 130px;
  margin: 4px 0;
  border: 1px solid var(--rule);
}
details {
  margin-top: 8px;
}
</style>
