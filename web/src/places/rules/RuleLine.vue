<script setup lang="ts">
/** One rule as a row: number, gauge, name, and its line from sources to destinations. */
import { computed } from 'vue'
import type { RuleRow } from '@/api/client'
import { beyond, decidesLine, saysMore, works } from '@/words'
import LineCode from '@/chart/LineCode.vue'
import NameLink from '@/frame/NameLink.vue'
import TideGauge from '@/chart/TideGauge.vue'

const props = defineProps<{
  row: RuleRow
  selected: boolean
  lifted: boolean
  tabbable: boolean
  writable: boolean
}>()
const emit = defineEmits<{ grip: [event: PointerEvent]; move: [place: number]; remove: [] }>()
const FEW = 2

const rule = computed(() => props.row.rule)
const dead = computed(
  () => rule.value.enabled && (props.row.decides === 'none' || props.row.kind === 'redundant'),
)
const off = computed(() => !rule.value.enabled)
const label = computed(() => {
  const negated = rule.value.negate?.includes('service') ? 'all but ' : ''
  const states = rule.value.states?.length ? ` · ${rule.value.states.join(', ')}` : ''
  return negated + rule.value.service.join(', ') + states + (rule.value.log ? ' · log' : '')
})
const said = computed(() => beyond(props.row))
const line = computed(() => said.value?.text ?? decidesLine(props.row))
const kind = computed(() => {
  const partly = props.row.findings.find((f) => f.kind === 'partly shadowed' && !f.accepted)?.kind
  const told = props.row.kind ?? said.value?.kind ?? partly
  return told ? `${told[0]!.toUpperCase()}${told.slice(1)}.` : ''
})
const shownLine = computed(() => saysMore(props.row))

function side(field: 'source' | 'destination') {
  const all = rule.value[field]
  return { names: all.slice(0, FEW), more: all.length - FEW, negated: rule.value.negate?.includes(field) }
}
const source = computed(() => side('source'))
const destination = computed(() => side('destination'))
</script>

<template>
  <div
    class="row"
    :class="{ selected, lifted, dead, off }"
    role="row"
    :aria-rowindex="row.position"
    :aria-selected="selected"
    :tabindex="tabbable ? 0 : -1"
    data-stop
    :data-rule="row.id"
    :data-line="row.id"
  >
    <div class="rule-cells cells">
      <span class="position" role="gridcell" title="Drag to move" @pointerdown="emit('grip', $event)">{{
        row.position
      }}</span>
      <TideGauge :decides="row.decides" :off="off" role="gridcell" />
      <span class="naming" role="gridcell">
        <span class="called">{{ rule.name }}</span>
        <span v-if="rule.description" class="soft small about">{{ rule.description }}</span>
      </span>
      <span class="side from" role="gridcell">
        <span v-if="source.negated" class="soft small">all but </span>
        <template v-for="(name, i) in source.names" :key="name"
          ><template v-if="i">, </template
          ><NameLink :name="name" kind="address" :dim="dead || off" :tabbable="selected" /></template
        ><span v-if="source.more > 0" class="soft"> +{{ source.more }}</span>
      </span>
      <LineCode
        :course="rule.action"
        :label="label"
        :when="rule.schedule ?? undefined"
        :until="rule.until || undefined"
        :faint="dead || off"
        role="gridcell"
      />
      <span class="side" role="gridcell">
        <span v-if="destination.negated" class="soft small">all but </span>
        <template v-for="(name, i) in destination.names" :key="name"
          ><template v-if="i">, </template
          ><NameLink :name="name" kind="address" :dim="dead || off" :tabbable="selected" /></template
        ><span v-if="destination.more > 0" class="soft"> +{{ destination.more }}</span>
      </span>
    </div>
    <p v-if="shownLine" role="gridcell" class="told" :class="{ warning: kind }">
      <strong v-if="kind">{{ kind }}</strong> {{ line }}
      <template v-if="row.kind === 'shadowed' && row.works">
        {{ works(row.works) }}
        <button
          v-if="writable"
          class="link"
          :tabindex="selected ? 0 : -1"
          @click.stop="emit('move', row.works.best)"
        >
          Move it to {{ row.works.best }}
        </button>
      </template>
      <button
        v-else-if="row.kind === 'redundant' && writable"
        class="link"
        :tabindex="selected ? 0 : -1"
        @click.stop="emit('remove')"
      >
        Delete it: same effect, proven
      </button>
    </p>
  </div>
</template>

<style scoped>
.cells {
  min-height: 43px;
}
.row {
  border-bottom: 1px solid var(--hair);
  cursor: default;
  outline-offset: -2px;
}
.row:hover {
  background: color-mix(in srgb, var(--depth-1) 45%, transparent);
}
.selected,
.selected:hover {
  background: var(--selected);
}
.lifted {
  background: var(--sheet);
  outline: 2px solid var(--focus);
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
}
.position {
  align-self: stretch;
  display: grid;
  place-content: center end;
  color: var(--soft);
  cursor: grab;
  touch-action: none;
  user-select: none;
}
.naming {
  min-width: 0;
  display: grid;
  line-height: 1.25;
  padding: 3px 0;
}
.called,
.about {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.off .called,
.dead .called {
  color: var(--soft);
}
.off .called {
  text-decoration: line-through;
}
/* Two names have a line each where they must; how many more there are is never cut off. */
.side {
  min-width: 0;
  max-height: 42px;
  overflow: hidden;
  line-height: 1.4;
}
.side :deep(.name) {
  display: inline-block;
  max-width: calc(100% - 26px);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  vertical-align: bottom;
  line-height: 1.3;
}
.from {
  text-align: right;
}
.told {
  margin: 0 14px 0 68px;
  padding-bottom: 8px;
  font-size: 12.5px;
  line-height: 18px;
  height: 26px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--soft);
}
.told.warning {
  color: var(--warning);
}
</style>
