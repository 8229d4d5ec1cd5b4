<script setup lang="ts">
/** What is on the ground as an outline: a tree for each kind of thing, walked by keys as one list. */
import { computed, nextTick, ref } from 'vue'
import { type Item, type Kind, WORD } from '@/editing/things'
import { useKeys } from '@/ui/keys'
import { walkKeys } from '@/ui/longList'

const props = defineProps<{
  items: readonly Item[]
  /** Kinds of which there is nothing, told so that one can be added. */
  empty: readonly Kind[]
  writable: boolean
}>()
const emit = defineEmits<{ choose: [id: number]; add: [kind: Kind] }>()

const HEADS: Partial<Record<Kind, string>> = {
  zones: 'Zones',
  devices: 'Devices',
  segments: 'Segments',
  policies: 'Policies',
  'at-hosts': 'At hosts',
}
const ADD: readonly Kind[] = ['zones', 'devices', 'segments', 'policies']

interface Group {
  kind: Kind
  items: { item: Item; at: number }[]
}
const groups = computed(() => {
  const told: Group[] = []
  props.items.forEach((item, at) => {
    const heads = item.level === 0 && HEADS[item.kind] && !told.some((g) => g.kind === item.kind)
    if (heads || !told.length) told.push({ kind: item.kind, items: [] })
    told.at(-1)!.items.push({ item, at })
  })
  return told
})

const list = ref<HTMLElement>()
const at = ref(0)
async function go(index: number): Promise<void> {
  at.value = index
  await nextTick()
  list.value?.querySelector<HTMLElement>(`[data-at="${index}"]`)?.focus()
}
const there = () => props.items.length > 0
useKeys('On the ground', [
  ...walkKeys('thing', { count: () => props.items.length, at: () => at.value, go, when: there, page: 12 }),
  {
    on: ['Enter'],
    says: 'open it',
    when: there,
    act: () => props.items[at.value] && emit('choose', props.items[at.value]!.id),
  },
])
defineExpose({ go })
</script>

<template>
  <div ref="list" class="outline">
    <template v-for="group in groups" :key="group.kind">
      <div class="group">
        <h2>{{ HEADS[group.kind] }}</h2>
        <button
          v-if="writable && ADD.includes(group.kind)"
          class="link small"
          @click="emit('add', group.kind)"
        >
          add {{ WORD[group.kind] }}
        </button>
      </div>
      <div role="tree" :aria-label="HEADS[group.kind]">
        <div
          v-for="{ item, at: index } in group.items"
          :key="`${item.kind}-${item.id}`"
          class="item"
          :class="`level-${item.level}`"
          role="treeitem"
          :aria-level="item.level + 1"
          :tabindex="index === at ? 0 : -1"
          data-stop
          :data-at="index"
          @click="emit('choose', item.id)"
          @focus="at = index"
        >
          <span class="called">{{ item.kind === 'at-hosts' ? 'policies at hosts' : item.name }}</span>
          <span class="raw soft detail">{{ item.detail }}</span>
        </div>
      </div>
    </template>
    <p v-if="!items.length && !empty.length" class="soft none">Nothing fits.</p>
    <div v-for="kind in empty.filter((k) => ADD.includes(k))" :key="kind" class="group">
      <h2>{{ HEADS[kind] }}</h2>
      <button v-if="writable" class="link small" @click="emit('add', kind)">add {{ WORD[kind] }}</button>
    </div>
  </div>
</template>

<style scoped>
.outline {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding-bottom: 20px;
}
.group {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 12px 16px 3px;
}
.group h2 {
  font-size: 13px;
  color: var(--soft);
}
.item {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 4px 16px;
  font-size: 13.5px;
  cursor: default;
  outline-offset: -2px;
}
.item.level-1 {
  padding-left: 32px;
  font-size: 13px;
}
.item:hover {
  background: color-mix(in srgb, var(--depth-1) 55%, transparent);
}
.called {
  white-space: nowrap;
}
.detail {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.none {
  padding: 16px;
}
</style>
