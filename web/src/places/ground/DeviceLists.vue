<script setup lang="ts">
/**
 * What a device makes of packets beside its policies, list by list, the first that matches decides. A translation is a line of which one
 * end is tied anew: the old name struck, the new one beside it. Steering is a line with the way it takes.
 */
import { computed, ref } from 'vue'
import type { GroundOut } from '@/api/client'
import { consequenceOfMove } from '@/api/ground'
import { useConsequence } from '@/editing/consequence'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import { LISTS, type ListKind } from '@/editing/things'

type Device = GroundOut['devices'][number]
const props = defineProps<{ network: number; device: Device; writable: boolean }>()
const emit = defineEmits<{
  choose: [id: number]
  add: [kind: ListKind]
  move: [id: number, ver: number, before: number | null]
  ask: [question: string]
}>()

interface Line {
  id: number
  ver: number
  name: string
  from: string
  to: string
  /** What the tied end becomes; nothing: it stays. */
  became: string
  by: string
  off: boolean
}
const some = (members: readonly string[] | undefined) => (members ?? ['any']).join(', ')
const stays = (to: readonly string[]) => to.length === 1 && to[0]!.toLowerCase() === 'none'

const lists = computed(() =>
  LISTS.map(({ kind, field, head }) => ({
    kind,
    head,
    lines: props.device[field].map(({ id, ver, thing }): Line => {
      const port = 'port' in thing && thing.port ? `:${thing.port}` : ''
      const way = 'leave' in thing ? [thing.leave, thing.via].filter(Boolean).join(' ') : ''
      return {
        id,
        ver,
        name: thing.name,
        from: some(thing.source),
        to: some(thing.destination),
        became: 'to' in thing && !stays(thing.to) ? `${some(thing.to)}${port}` : '',
        by: way && `by ${way}${'when_down' in thing && thing.when_down ? `, down: ${thing.when_down}` : ''}`,
        off: thing.enabled === false,
      }
    }),
  })),
)
/** Before which entry one goes that moves by a place; undefined: it cannot. */
function place(lines: readonly Line[], at: number, by: 1 | -1): number | null | undefined {
  if (by < 0) return at > 0 ? lines[at - 1]!.id : undefined
  return at < lines.length - 1 ? (lines[at + 2]?.id ?? null) : undefined
}
function move(lines: readonly Line[], at: number, by: 1 | -1): void {
  const before = place(lines, at, by)
  forget()
  if (before !== undefined) emit('move', lines[at]!.id, lines[at]!.ver, before)
}

// What a move would do, while its arrow is looked at.
const { told, stale, about } = useConsequence(
  'move',
  (asked, to: { id: number; before: number | null }, signal) =>
    consequenceOfMove(props.network, to.id, { ...asked, before_id: to.before }, signal),
)
const looked = ref<ListKind | null>(null)
function look(kind: ListKind, lines: readonly Line[], at: number, by: 1 | -1): void {
  const before = place(lines, at, by)
  if (before === undefined) return
  looked.value = kind
  void about({ id: lines[at]!.id, before })
}
function forget(): void {
  looked.value = null
  void about(null)
}
</script>

<template>
  <section class="lists">
    <div v-for="list in lists" :key="list.kind" class="list">
      <h3>
        {{ list.head }}
        <button
          v-if="writable && device.thing.filtering !== 'stateless'"
          type="button"
          class="link small"
          @click="emit('add', list.kind)"
        >
          add
        </button>
      </h3>
      <ol v-if="list.lines.length">
        <li v-for="(line, at) in list.lines" :key="line.id" :class="{ off: line.off }">
          <div class="name">
            <button type="button" class="link" @click="emit('choose', line.id)">{{ line.name }}</button>
            <span v-if="writable && list.lines.length > 1" class="moves">
              <button
                type="button"
                class="plain"
                :disabled="at === 0"
                :aria-label="`${line.name} earlier`"
                @click="move(list.lines, at, -1)"
                @focus="look(list.kind, list.lines, at, -1)"
                @mouseenter="look(list.kind, list.lines, at, -1)"
                @blur="forget"
                @mouseleave="forget"
              >
                ↑
              </button>
              <button
                type="button"
                class="plain"
                :disabled="at === list.lines.length - 1"
                :aria-label="`${line.name} later`"
                @click="move(list.lines, at, 1)"
                @focus="look(list.kind, list.lines, at, 1)"
                @mouseenter="look(list.kind, list.lines, at, 1)"
                @blur="forget"
                @mouseleave="forget"
              >
                ↓
              </button>
            </span>
          </div>
          <div v-if="list.kind === 'source-translations'" class="tied source">
            <span class="end"
              ><s v-if="line.became">{{ line.from }}</s
              ><template v-else>{{ line.from }}</template></span
            >
            <span v-if="line.became" class="new">{{ line.became }}</span>
            <svg width="34" height="38" aria-hidden="true">
              <path v-if="line.became" d="M0 9 H10" class="gone" />
              <path :d="line.became ? 'M0 29 H6 C14 29 12 19 18 19 H29' : 'M0 19 H29'" class="stroke" />
              <path d="M26 15 L31 19 L26 23" class="stroke" />
            </svg>
            <span class="far">{{ line.to }}</span>
          </div>
          <div v-else class="tied">
            <span class="far">{{ line.from }}</span>
            <svg width="34" height="38" aria-hidden="true">
              <path v-if="line.became" d="M24 9 H34" class="gone" />
              <path
                :d="line.became || line.by ? 'M0 19 H8 C16 19 14 29 20 29 H29' : 'M0 19 H29'"
                class="stroke"
              />
              <path
                :d="line.became || line.by ? 'M26 25 L31 29 L26 33' : 'M26 15 L31 19 L26 23'"
                class="stroke"
              />
            </svg>
            <span class="end"
              ><s v-if="line.became">{{ line.to }}</s
              ><template v-else>{{ line.to }}</template></span
            >
            <span v-if="line.became || line.by" class="new">{{ line.became || line.by }}</span>
          </div>
        </li>
      </ol>
      <p v-else class="soft small">none</p>
      <ConsequenceList
        v-if="told && looked === list.kind"
        :told="told"
        :stale="stale"
        :few="3"
        @ask="emit('ask', $event)"
      />
    </div>
  </section>
</template>

<style scoped>
.lists {
  margin-top: 10px;
  border-top: 1px solid var(--hair);
}
h3 {
  display: flex;
  justify-content: space-between;
  font-size: 12.5px;
  margin: 8px 0 2px;
}
p {
  margin: 0;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 3px 0 6px;
}
.name {
  display: flex;
  justify-content: space-between;
}
.off {
  opacity: 0.5;
}
.moves button {
  min-width: 26px;
  min-height: 24px;
}
h3 button {
  min-width: 26px;
  min-height: 24px;
}
.name .link {
  min-height: 24px;
  text-align: left;
}
.tied {
  display: grid;
  grid-template: auto auto / minmax(0, 1fr) 34px minmax(0, 1.2fr);
  align-items: center;
  font-size: 12px;
  overflow-wrap: anywhere;
}
.tied svg {
  grid-area: 1 / 2 / 3 / 3;
}
.far {
  grid-row: 1 / 3;
}
.tied:not(.source) .far {
  text-align: right;
  padding-right: 4px;
}
.tied:not(.source) .end,
.tied:not(.source) .new {
  grid-column: 3;
  padding-left: 4px;
}
.source {
  grid-template-columns: minmax(0, 1.2fr) 34px minmax(0, 1fr);
}
.source .end,
.source .new {
  grid-column: 1;
  text-align: right;
  padding-right: 4px;
}
.source .far {
  grid-column: 3;
  grid-row: 1 / 3;
  padding-left: 4px;
}
.source svg {
  grid-column: 2;
}
.end {
  grid-row: 1;
  align-self: end;
}
.end:last-child {
  grid-row: 1 / 3;
  align-self: center;
}
.new {
  grid-row: 2;
  align-self: start;
  font-weight: 650;
}
s {
  color: var(--soft);
}
.stroke {
  fill: none;
  stroke: var(--allow);
  stroke-width: 1.6;
}
.gone {
  fill: none;
  stroke: var(--soft);
  stroke-dasharray: 2 3;
}
</style>
