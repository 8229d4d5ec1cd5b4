<script setup lang="ts">
/** Findings: what is wrong or superfluous, how do we know, where is it? */
import { counted, figure } from '@/words'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { PlacedFinding } from '@/api/client'
import { useFindings } from '@/api/questions'
import { kindsOf, sifted, type Weight } from '@/places/findings/findings'
import { useLongList } from '@/ui/longList'
import { useFrame } from '@/frame/frame'

const ROW_PX = 46
const WEIGHTS: readonly Weight[] = ['error', 'warning', 'note']

const route = useRoute()
const { id: network, network: whole, revision } = useFrame()
const { data, error } = useFindings(network, revision)
const all = computed(() => data.value ?? [])
const kind = ref(typeof route.query.kind === 'string' ? route.query.kind : '')
const weight = ref<Weight | ''>('')
const shown = computed(() => sifted(all.value, kind.value, weight.value))
const kinds = computed(() => kindsOf(all.value))
const countOf = (w: Weight) => all.value.filter((f) => f.weight === w).length

const list = useLongList({
  lines: () => shown.value,
  key: (_, index) => index,
  height: () => ROW_PX,
  overscan: 12,
})

function place(f: PlacedFinding) {
  if (f.policy_id)
    return {
      name: 'rules',
      params: { network: network.value, policy: f.policy_id },
      query: { rule: f.rule_id ?? undefined },
    }
  if (f.name_kind === 'device')
    return { name: 'ground', params: { network: network.value, thing: f.name_id ?? '' } }
  if (f.name_kind === 'schedule')
    return { name: 'schedules', params: { network: network.value, schedule: f.name_id ?? '' } }
  return { name: 'names', params: { network: network.value, name: f.name_id ?? '' } }
}
</script>

<template>
  <div class="findings">
    <header class="head">
      <h1>Findings</h1>
      <button
        v-for="w in WEIGHTS.filter(countOf)"
        :key="w"
        class="plain weight"
        :class="[w, { on: weight === w }]"
        :aria-pressed="weight === w"
        @click="weight = weight === w ? '' : w"
      >
        {{ counted(countOf(w), w) }}
      </button>
    </header>
    <div class="choices" role="toolbar" aria-label="Kinds of findings">
      <button
        v-for="[k, count] in kinds"
        :key="k"
        class="plain"
        :class="{ on: kind === k }"
        :aria-pressed="kind === k"
        @click="kind = kind === k ? '' : k"
      >
        {{ k }} <span class="soft">{{ figure(count) }}</span>
      </button>
    </div>
    <p v-if="error" class="problem empty" role="alert">{{ error.message }}</p>
    <div
      v-else
      :ref="(element) => (list.scroller.value = element as HTMLElement)"
      class="list"
      data-pane
      role="list"
      aria-label="Findings"
    >
      <div class="extent" :style="{ height: `${list.total.value}px` }">
        <router-link
          v-for="{ line: found, key, style } in list.drawn.value"
          :key="key"
          class="row plain"
          role="listitem"
          :to="place(found)"
          :style="style"
        >
          <span class="what" :class="found.weight">{{ found.kind }}</span>
          <span class="where">
            <template v-if="found.rule"
              >{{ found.position }} {{ found.rule }}
              <span class="soft small">{{ found.policy }}</span></template
            >
            <template v-else>{{ found.policy ?? found.name }}</template>
          </span>
          <span class="text">{{ found.text }}</span>
        </router-link>
      </div>
      <p v-if="data && !all.length" class="empty soft">
        {{
          whole?.policies.length
            ? 'Nothing found: every rule decides something, every name is used.'
            : 'There is no policy yet, so there is no rule in which something could be found.'
        }}
      </p>
    </div>
  </div>
</template>

<style scoped>
.findings {
  height: 100%;
  display: grid;
  grid-template: auto auto 1fr / minmax(0, 1fr);
}
.head {
  display: flex;
  align-items: baseline;
  gap: 16px;
  padding: 13px 16px 9px;
}
.weight {
  border-bottom: 3px solid transparent;
}
.on {
  border-bottom-color: var(--depth-5);
}
.list {
  overflow-y: auto;
  min-height: 0;
}
.extent {
  position: relative;
}
.row {
  position: absolute;
  inset: 0 0 auto;
  height: 46px;
  display: grid;
  grid-template-columns: 150px minmax(140px, 0.8fr) minmax(200px, 2fr);
  gap: 14px;
  align-items: center;
  padding: 0 16px;
  border-bottom: 1px solid var(--hair);
  outline-offset: -2px;
}
.row:hover {
  background: color-mix(in srgb, var(--depth-1) 45%, transparent);
}
.what.warning,
.weight.warning {
  color: var(--warning);
}
.what.error,
.weight.error {
  color: var(--error);
}
.what.note,
.weight.note {
  color: var(--soft);
}
.where {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.text {
  font-size: 13px;
  line-height: 1.3;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.empty {
  padding: 24px 16px;
}
</style>
