<script setup lang="ts">
import type { DriverPace } from '@/shared/api/client'
import { count, gap } from '@/shared/format'

/** Options that were tried, each with a verdict for the race and one for qualifying. */
defineProps<{ options: DriverPace['options']; names: Record<string, string | null> }>()
const where = (code: string, name: string | null | undefined) =>
  code === 'lap' ? 'The whole lap' : code === 'setup' ? 'Setup' : `${code}${name ? ` ${name}` : ''}`
</script>

<template>
  <p v-if="!options.length" class="quiet">
    No option was tried yet. Declare one with a run, as in <kbd>T1=high</kbd> or <kbd>lap=save</kbd>, and alternate it
    with another: after a few laps of each this says which is better, and for what.
  </p>
  <div class="options">
    <article v-for="item in options" :key="item.where + item.sides.map((side) => side.label).join()">
      <h3>{{ where(item.where, names[item.where]) }}: {{ item.sides.map((side) => side.label).join(' or ') }}</h3>
      <dl>
        <div>
          <dt>For the race</dt>
          <dd>{{ item.race }}</dd>
        </div>
        <div>
          <dt>For qualifying</dt>
          <dd>{{ item.qualifying }}</dd>
        </div>
      </dl>
      <details>
        <summary>
          Why: {{ item.sides.map((side) => `${side.n} × ${side.label}`).join(', ') }},
          {{ count(item.switches, 'switch', 'switches')
          }}<template v-if="item.p_value !== null"
            >, p {{ item.p_value < 0.001 ? '&lt; 0.001' : `= ${item.p_value.toFixed(3)}` }}</template
          >
        </summary>
        <ul>
          <li v-for="line in item.words" :key="line">{{ line }}</li>
        </ul>
        <table v-if="item.by_segment.length" class="ledger">
          <caption class="visually-hidden">
            Difference by segment
          </caption>
          <thead>
            <tr>
              <th scope="col">Part</th>
              <th scope="col" class="number">{{ item.sides[1]?.label }} less {{ item.sides[0]?.label }}</th>
              <th scope="col" class="number">from</th>
              <th scope="col" class="number">to</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="part in item.by_segment" :key="part.code">
              <th scope="row">{{ part.code }}</th>
              <td class="number">{{ gap(part.value_us) }}</td>
              <td class="number">{{ gap(part.low_us) }}</td>
              <td class="number">{{ gap(part.high_us) }}</td>
            </tr>
          </tbody>
        </table>
      </details>
    </article>
  </div>
</template>

<style scoped>
.options {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 380px), 1fr));
  gap: 10px 22px;
}
article {
  border-top: 1px solid var(--rule);
  padding-top: 6px;
}
h3 {
  font-size: 1rem;
}
dl {
  margin: 4px 0;
}
dl > div {
  display: flex;
  gap: 8px;
}
dt {
  flex: 0 0 98px;
  color: var(--quiet);
}
ul {
  padding-left: 18px;
}
</style>
