<script setup lang="ts">
/** The rules of another policy beside the open one: which of them are here too, each to be carried here. */
import { computed } from 'vue'
import type { Rule } from '@/api/client'
import LineCode from '@/chart/LineCode.vue'
import { useDesk } from '@/places/rules/desk'
import type { Field } from '@/places/rules/ruleDraft'
import CheckBox from '@/ui/CheckBox.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import { figure } from '@/words'

const MOST = 400
const desk = useDesk()
const { policy, whole, writable, selected, finding, beside } = desk
const { other, swap, its, like, line } = beside
const others = computed(() =>
  (whole.value?.policies ?? [])
    .filter((p) => p.id !== policy.value?.id)
    .map((p) => ({ title: p.name, value: p.id })),
)
const said = (rule: Rule, field: Field) =>
  `${rule.negate?.includes(field) ? 'all but ' : ''}${rule[field].join(', ')}`
const shown = computed(() => its.value.slice(0, MOST))
/** Before the rule that is chosen, or where it works. */
const before = computed(() => (selected.value ? selected.value.position - 1 : null))
</script>

<template>
  <section class="beside" aria-label="Beside">
    <div class="top">
      <ChoiceField v-model="other" label="Beside" :items="others" search />
      <button type="button" class="link small" @click="other = null">close</button>
    </div>
    <CheckBox v-if="writable" v-model="swap">carried with their ends swapped</CheckBox>
    <p v-if="line && !its.length" class="soft small">
      {{ line.rules ? 'The rules are on their way …' : 'It has no rules.' }}
    </p>
    <ol class="its">
      <li v-for="row in shown" :key="row.id" :class="{ off: row.rule.enabled === false }">
        <div class="naming">
          <span
            class="position"
            :class="{ grip: writable && !finding }"
            :title="writable ? 'Drag into the list' : undefined"
            @pointerdown="writable && beside.grip(row.id, $event)"
            >{{ row.position }}</span
          >
          <span class="called">{{ row.rule.name }}</span>
          <button
            v-if="writable && !finding"
            type="button"
            class="link small"
            :aria-label="`carry ${row.rule.name} here`"
            @click="beside.bring(row, before)"
          >
            carry here
          </button>
        </div>
        <div class="says">
          <LineCode :course="row.rule.action" small class="glyph" />
          <span
            >{{ said(row.rule, 'source') }} → {{ said(row.rule, 'destination') }} :
            {{ said(row.rule, 'service') }}</span
          >
        </div>
        <p v-if="like.get(row.id)" class="small soft like">
          <button type="button" class="link" @click="desk.go(like.get(row.id)!.row.id)">
            {{ like.get(row.id)!.row.position }} {{ like.get(row.id)!.row.rule.name }}
          </button>
          here matches the same{{ like.get(row.id)!.swapped ? ' with its ends swapped' : ''
          }}{{ like.get(row.id)!.alike ? '' : ' and does something else' }}
        </p>
      </li>
    </ol>
    <p v-if="its.length > MOST" class="soft small">and {{ figure(its.length - MOST) }} more</p>
  </section>
</template>

<style scoped>
.beside {
  padding: 14px 16px 18px;
}
.top {
  display: flex;
  gap: 12px;
  align-items: flex-end;
}
.top > :first-child {
  flex: 1;
  min-width: 0;
}
.its {
  list-style: none;
  margin: 10px 0 0;
  padding: 0;
  font-size: 13.5px;
}
.its > li {
  padding: 7px 0;
  border-bottom: 1px solid var(--hair);
}
.naming {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.called {
  flex: 1;
  min-width: 0;
}
.position {
  min-width: 22px;
  text-align: right;
  color: var(--soft);
}
.grip {
  cursor: grab;
  touch-action: none;
}
.says {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--soft);
  font-size: 12.5px;
  overflow-wrap: anywhere;
}
.glyph {
  flex: none;
  width: 30px;
}
.off .called {
  text-decoration: line-through;
}
.like {
  margin: 2px 0 0 30px;
}
</style>
