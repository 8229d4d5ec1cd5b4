<script setup lang="ts">
/** The pair under the cursor in words, who reaches a device itself, and the key to the chart. */
import { computed } from 'vue'
import { useSession } from '@/api/session'
import { useFrame } from '@/frame/frame'
import { mustSentence } from '@/words'
import { changeOf, type Crossings, keyOf, mentionOf, sentenceOf, turnPath } from '@/places/verify/crossings'

/** aside: whether name service, time and ping are looked past; file: where all of it may be taken, by form. */
const props = defineProps<{ chart: Crossings; aside: boolean; file: (form: string) => string }>()
const cursor = defineModel<{ row: number; column: number }>('cursor', { required: true })
const emit = defineEmits<{ open: [] }>()

const itsChange = computed(() => props.chart.changes.get(keyOf(cursor.value.row, cursor.value.column)))
const itsMention = computed(() => props.chart.mentions.get(keyOf(cursor.value.row, cursor.value.column)))
const chosen = computed(() => props.chart.cells.get(keyOf(cursor.value.row, cursor.value.column)))
const ends = computed(() => ({
  from: props.chart.rows[cursor.value.row],
  to: props.chart.columns[cursor.value.column],
}))
const { id: network } = useFrame()
const session = useSession()
/** The pair as something that must stay as it is; nothing where it is folded, or where too much works to be named. */
const mustStay = computed(() => {
  const { from, to } = ends.value
  if (!session.writes || !from || !to) return null
  if (from.members.length + to.members.length > 2 || (from.name === to.name && !to.itself)) return null
  const cell = chosen.value
  if (!cell) return mustSentence(from.name, false, to.name)
  const works = cell.verdict === 'all' || (cell.verdict === 'some' && cell.services.length > 0 && !cell.more)
  return works ? mustSentence(from.name, true, to.name, cell.verdict === 'all' ? [] : cell.services) : null
})
/** From where the device in the cursor's column is reached itself, the outermost first. */
const reachers = computed(() =>
  props.chart.rows.flatMap((line, row) => {
    const cell = props.chart.cells.get(keyOf(row, cursor.value.column))
    return cell ? [{ name: line.name, row, words: sentenceOf(cell) }] : []
  }),
)
</script>

<template>
  <aside class="panel" aria-label="The pair">
    <div id="pair" aria-live="polite">
      <h2 v-if="ends.from && ends.to">
        {{ ends.from.name }} → {{ ends.to.name }}{{ ends.to.itself ? ' itself' : '' }}
      </h2>
      <p class="soft small">
        {{ ends.from?.zone || 'no zone' }} →
        {{ ends.to?.itself ? 'the device' : ends.to?.zone || 'no zone' }}
      </p>
      <p v-if="chosen">{{ sentenceOf(chosen) }}</p>
      <p v-else-if="!ends.to?.itself && ends.from?.name === ends.to?.name" class="soft">
        what stays inside one segment
      </p>
      <p v-else class="soft">nothing works{{ aside ? ', unless name service, time or ping does' : '' }}</p>
      <p v-if="itsChange" class="its-change">{{ changeOf(itsChange) }}</p>
      <p v-if="itsMention" class="small" :class="{ problem: itsMention.bad.length }">
        {{ mentionOf(itsMention) }}
      </p>
    </div>
    <v-btn variant="outlined" @click="emit('open')">{{
      ends.from && ends.to && ends.from.members.length + ends.to.members.length > 2
        ? 'unfold ↵'
        : 'the question ↵'
    }}</v-btn>
    <p v-if="mustStay" class="small stay">
      <router-link class="link" :to="{ name: 'holds', params: { network }, query: { write: mustStay } }"
        >this must stay so</router-link
      >
    </p>
    <p class="small files">
      take it as
      <a v-for="form in ['csv', 'json']" :key="form" :href="file(form)" download>{{
        form === 'csv' ? 'a table (CSV)' : 'JSON'
      }}</a>
    </p>
    <section v-if="ends.to?.itself" class="reachers" :aria-label="`Who reaches ${ends.to.name} itself`">
      <h3>who reaches {{ ends.to.name }} itself</h3>
      <ul v-if="reachers.length">
        <li v-for="one in reachers" :key="one.name">
          <button type="button" @click="cursor = { row: one.row, column: cursor.column }">
            {{ one.name }}</button><span class="soft"> {{ one.words }}</span>
        </li>
      </ul>
      <p v-else class="soft">nobody</p>
    </section>
    <ul class="key soft small">
      <li v-for="kind in ['all', 'some', 'ways', 'unknown', 'lost'] as const" :key="kind">
        <svg width="26" height="26" aria-hidden="true">
          <g :class="['turn', kind]" transform="translate(14,15)">
            <path :d="turnPath(11)" />
            <path v-if="kind === 'lost'" d="M-8,-10 H8" />
          </g>
        </svg>
        {{
          {
            all: 'everything',
            some: 'some, how many services',
            ways: 'by some ways only',
            unknown: 'nobody knows',
            lost: 'arrives, and is not answered',
          }[kind]
        }}
      </li>
      <li>
        <svg width="26" height="26" aria-hidden="true" class="turn some">
          <text class="part" x="4" y="20">6</text>
          <path class="part" d="M14,20 h6 v-6" />
        </svg>
        one family only; only at times
      </li>
      <li v-if="chart.changes.size">
        <svg width="26" height="26" aria-hidden="true" class="draft">
          <circle class="halo" cx="13" cy="13" r="10" />
        </svg>
        the draft opens something
      </li>
      <li v-if="chart.changes.size">
        <svg width="26" height="26" aria-hidden="true" class="draft">
          <path class="ghost" transform="translate(14,15)" :d="turnPath(11)" />
        </svg>
        the draft closes something
      </li>
      <li v-if="chart.mentions.size">
        <svg width="44" height="26" aria-hidden="true">
          <circle class="ring" cx="12" cy="13" r="9" />
          <circle class="ring bad" cx="33" cy="13" r="9" />
        </svg>
        must hold; does not, or nobody knows
      </li>
      <li>
        <svg width="26" height="26" aria-hidden="true" class="lines">
          <path d="M2,14 H26 M14,2 V26" />
        </svg>
        nothing: lines cross
      </li>
    </ul>
  </aside>
</template>

<style scoped src="@/places/verify/crossings.css"></style>
<style scoped>
.panel {
  flex: 0 0 274px;
  padding: 8px 16px;
  overflow-y: auto;
}
.panel h2 {
  font-size: 15px;
  margin: 0;
  overflow-wrap: anywhere;
}
.panel p {
  margin: 2px 0 10px;
  overflow-wrap: anywhere;
}
.stay a {
  display: inline-block;
  padding: 4px 0;
}
.reachers h3 {
  font-size: 13px;
  margin: 14px 0 2px;
}
.reachers ul {
  list-style: none;
  padding: 0;
  margin: 0 0 12px;
}
.reachers li {
  overflow-wrap: anywhere;
}
.reachers button {
  margin-right: 6px;
  font: inherit;
  font-weight: 650;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
  text-decoration: underline;
  text-underline-offset: 2px;
}
.files a {
  margin-left: 6px;
}
.key {
  list-style: none;
  padding: 0;
  margin: 18px 0 0;
}
.key li {
  display: flex;
  gap: 8px;
  align-items: center;
}
.its-change {
  font-weight: 650;
}
@media (max-width: 900px) {
  .panel {
    flex: none;
  }
}
</style>
