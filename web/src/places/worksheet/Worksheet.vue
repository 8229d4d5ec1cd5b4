<script setup lang="ts">
/** What is typed into a device that speaks nothing open: its lists in order, ticked off line by line, on paper or here. */
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { type Entry, type ListSheet, useWorksheet } from '@/api/worksheets'
import LineCode from '@/chart/LineCode.vue'
import { useFrame } from '@/frame/frame'
import ReadBack from '@/places/worksheet/ReadBack.vue'
import { keepTyped, keyOf, typedOf } from '@/places/worksheet/typed'
import CheckBox from '@/ui/CheckBox.vue'
import { counted } from '@/words'

const FEW = 8
const { id: network, revision } = useFrame()
const route = useRoute()
const device = computed(() => Number(route.params.device))
const { data, error } = useWorksheet(network, revision, device)
const typed = ref(new Set<string>())
watch([network, device], () => (typed.value = typedOf(network.value, device.value)), { immediate: true })
const onlyChanges = ref(false)
const opened = ref(new Set<string>())

const changed = (list: ListSheet) => list.entries.filter((entry) => entry.change).length + list.gone.length
const changes = computed(() => (data.value?.lists ?? []).reduce((sum, list) => sum + changed(list), 0))
const shown = (list: ListSheet) =>
  onlyChanges.value ? list.entries.filter((entry) => entry.change) : list.entries
const done = (list: ListSheet) =>
  list.entries.filter((entry) => typed.value.has(keyOf(list.policy, entry))).length

function tick(key: string): void {
  const next = new Set(typed.value)
  if (!next.delete(key)) next.add(key)
  typed.value = next
  keepTyped(network.value, device.value, next)
}
const lines = (list: ListSheet, entry: Entry) =>
  opened.value.has(keyOf(list.policy, entry)) ? entry.lines : entry.lines.slice(0, FEW)
const print = () => {
  for (const list of data.value?.lists ?? [])
    for (const entry of list.entries) opened.value.add(keyOf(list.policy, entry))
  setTimeout(() => window.print())
}
</script>

<template>
  <div class="sheet printed">
    <header class="named-head">
      <h1>{{ data ? `Worksheet of ${data.device}` : 'Worksheet' }}</h1>
      <span v-if="data" class="soft">{{
        data.in_force === null
          ? 'nothing is in force yet'
          : changes
            ? `${counted(changes, 'rule')} otherwise than edition ${data.in_force}, which is in force`
            : `as edition ${data.in_force}, which is in force`
      }}</span>
      <span class="spring" />
      <CheckBox v-if="changes" v-model="onlyChanges" class="unprinted">only what changes</CheckBox>
      <button class="plain soft unprinted" @click="print">print</button>
      <router-link class="plain soft unprinted" :to="{ name: 'ground', params: { network, thing: device } }"
        >the device</router-link
      >
    </header>
    <p v-if="error" class="problem of" role="alert">{{ error.detail }}</p>
    <div class="body">
      <p v-if="data && !data.lists.length" class="soft empty">
        It consults no list: nothing is to be typed in. Lists are attached where they are written.
      </p>
      <section v-for="list in data?.lists" :key="list.policy_id" :aria-label="list.policy">
        <h2>
          <router-link class="plain" :to="{ name: 'rules', params: { network, policy: list.policy_id } }">{{
            list.policy
          }}</router-link>
          <span class="soft small where">{{ list.places.join('; ') }}</span>
          <span class="soft small">{{ done(list) }} of {{ list.entries.length }} typed in</span>
        </h2>
        <ol>
          <li
            v-for="entry in shown(list)"
            :key="`${entry.position} ${entry.name}`"
            :class="{ typed: typed.has(keyOf(list.policy, entry)) }"
          >
            <input
              type="checkbox"
              class="tick"
              :checked="typed.has(keyOf(list.policy, entry))"
              :aria-label="`${entry.position || ''} ${entry.name} is typed in`"
              @change="tick(keyOf(list.policy, entry))"
            />
            <span class="number soft">{{ entry.position || '' }}</span>
            <div>
              <p class="rule">
                <span class="drawn"><LineCode :course="entry.action" small /></span>
                <b>{{ entry.name }}</b>
                <span v-if="entry.change" class="change small">{{ entry.change }}</span>
                <span class="soft words">{{ entry.words }}</span>
                <span v-if="entry.besides.length" class="small soft">{{ entry.besides.join(', ') }}</span>
              </p>
              <table v-if="entry.position" class="raw lines">
                <tbody>
                  <tr v-for="(line, at) in lines(list, entry)" :key="at">
                    <td>{{ entry.action }}</td>
                    <td>{{ line.source }}</td>
                    <td>{{ line.destination }}</td>
                    <td>{{ line.service }}</td>
                  </tr>
                </tbody>
              </table>
              <button
                v-if="entry.lines.length > lines(list, entry).length"
                class="link small unprinted"
                @click="opened.add(keyOf(list.policy, entry))"
              >
                and {{ counted(entry.lines.length - FEW, 'line') }} more
              </button>
            </div>
          </li>
          <li v-for="name in list.gone" :key="`gone ${name}`" class="gone">
            <span /><span />
            <p>
              take out <b>{{ name }}</b> <span class="change small">gone</span>
            </p>
          </li>
        </ol>
        <ReadBack :network="network" :policy="list.policy_id" :name="list.policy" />
      </section>
    </div>
  </div>
</template>

<style scoped>
.sheet {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  height: 100%;
}
.spring {
  flex: 1;
}
.of {
  padding: 0 22px;
}
.body {
  overflow-y: auto;
  padding: 0 22px 60px;
}
.empty {
  padding: 24px 0;
}
h2 {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
  padding: 18px 0 6px;
  border-bottom: 1px solid var(--hair);
}
.where {
  flex: 1;
  font-weight: 400;
}
h2 .small {
  font-weight: 400;
}
ol {
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 18px 34px minmax(0, 1fr);
  gap: 0 8px;
  padding: 7px 0;
  border-bottom: 1px solid var(--hair);
  content-visibility: auto;
  contain-intrinsic-size: auto 60px;
}
.tick {
  align-self: start;
  margin: 4px 0 0;
  accent-color: var(--depth-5);
}
.number {
  text-align: right;
}
.rule {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: baseline;
}
.drawn {
  width: 46px;
}
.change {
  padding: 0 6px;
  border: 1px solid var(--depth-5);
  border-radius: 2px;
}
.lines {
  margin: 4px 0 2px 56px;
  border-collapse: collapse;
}
.lines td {
  padding: 1px 22px 1px 0;
  vertical-align: top;
  overflow-wrap: anywhere;
}
.typed .lines,
.typed .words {
  opacity: 0.65;
}
@media print {
  li {
    break-inside: avoid;
    content-visibility: visible;
  }
}
</style>
