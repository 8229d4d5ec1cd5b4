<script setup lang="ts">
/** The rules in their order, the default last; where the one in hand would stand, and where it would work. */
import { computed } from 'vue'
import DefaultRow from '@/places/rules/DefaultRow.vue'
import { useDesk } from '@/places/rules/desk'
import ListMap from '@/places/rules/ListMap.vue'
import RuleLine from '@/places/rules/RuleLine.vue'
import SectionRow from '@/places/rules/SectionRow.vue'

const desk = useDesk()
const { policy, rows, shown, list, cursor, chosen, picked, carried, writable, finding, acts } = desk

/** How many rules there are up to a line. */
const before = computed(() => {
  let count = 0
  return desk.lines.value.map((line) => (line.kind === 'rule' ? count++ : count))
})
const firstShown = computed(() => before.value[list.range.value.from] ?? 0)
const lastShown = computed(() =>
  Math.min(before.value[list.range.value.to] ?? shown.value.length, shown.value.length - 1),
)
const tabbable = (id: number) => (cursor.value === null ? id === shown.value[0]?.id : id === cursor.value)
</script>

<template>
  <div class="body">
    <ListMap
      :rows="shown"
      :from="firstShown"
      :to="lastShown"
      @go="list.show(desk.lineOf(shown[$event]?.id ?? null), 'center')"
    />
    <div
      :ref="(element) => (list.scroller.value = element as HTMLElement)"
      class="list"
      data-pane
      role="grid"
      :aria-label="`Rules of ${policy!.name}`"
      :aria-rowcount="rows.length + 1"
      aria-multiselectable="true"
    >
      <div class="extent" role="rowgroup" :style="{ height: `${list.total.value}px` }">
        <div
          v-for="{ line, key, style } in list.drawn.value"
          :key="key"
          class="slot"
          role="presentation"
          :style="style"
        >
          <RuleLine
            v-if="line.kind === 'rule'"
            :row="line.row"
            :selected="line.row.id === chosen || picked.has(line.row.id)"
            :lifted="line.row.id === carried?.id"
            :tabbable="tabbable(line.row.id)"
            :writable="writable"
            @click="desk.select(line.row.id, $event)"
            @dblclick="desk.write(line.row.id, line.row.position - 1, { rule: line.row.rule })"
            @remove="desk.over({ is: 'deleting', row: line.row })"
            @grip="writable && !finding && desk.grip(line.row.id, $event)"
            @move="acts.move(line.row.id, $event)"
          />
          <SectionRow
            v-else-if="line.kind === 'section'"
            :section="line.section"
            :count="line.count"
            :folded="desk.folded.value.has(line.section.id)"
            :writable="writable"
            @fold="desk.fold(line.section)"
            @rename="desk.nameSection(line.section)"
            @drop="acts.dropSection(line.section)"
          />
          <DefaultRow
            v-else
            :policy="policy!"
            :index="rows.length + 1"
            :selected="cursor === 'otherwise'"
            :tabbable="cursor === 'otherwise' || !shown.length"
            @click="desk.go('otherwise', false)"
            @ask="desk.ask"
          />
        </div>
        <div
          v-for="run in desk.reach.value"
          :key="run.decides"
          class="reach"
          :class="run.decides"
          aria-hidden="true"
          :style="{ top: `${run.top}px`, height: `${run.height}px` }"
          :data-decides="run.decides"
        />
        <div
          v-if="desk.mark.value !== null"
          class="gap"
          aria-hidden="true"
          :class="{ dead: desk.heldDead.value }"
          :style="{ top: `${desk.mark.value - 1}px` }"
        />
      </div>
    </div>
  </div>
</template>

<style scoped>
.body {
  min-height: 0;
  display: flex;
  gap: 4px;
  padding: 8px 0 0 8px;
}
.list {
  flex: 1;
  min-width: 0;
  overflow-y: auto;
  scrollbar-width: none;
}
.extent {
  position: relative;
}
.slot {
  position: absolute;
  inset: 0 0 auto;
}
.reach {
  position: absolute;
  left: 0;
  width: 4px;
  pointer-events: none;
}
.reach.all {
  background: var(--depth-5);
}
.reach.part {
  background: var(--depth-3);
}
.reach.none {
  background: repeating-linear-gradient(-45deg, var(--warning) 0 2px, transparent 2px 7px);
}
.gap {
  position: absolute;
  left: 0;
  right: 0;
  height: 3px;
  background: var(--focus);
  pointer-events: none;
}
.gap.dead {
  background: repeating-linear-gradient(90deg, var(--warning) 0 6px, transparent 6px 12px);
}
</style>
