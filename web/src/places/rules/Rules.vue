<script setup lang="ts">
/** Rules: what is the order, what does each rule decide here and now, what happens if I change it? */
import { computed, ref, watch } from 'vue'
import DeleteSheet from '@/places/rules/DeleteSheet.vue'
import { useNewDesk } from '@/places/rules/desk'
import { useRuleKeys } from '@/places/rules/ruleKeys'
import HoldingLine from '@/places/rules/HoldingLine.vue'
import RuleList from '@/places/rules/RuleList.vue'
import RulesHead from '@/places/rules/RulesHead.vue'
import RulesPanel from '@/places/rules/RulesPanel.vue'
import SectionSheet from '@/places/rules/SectionSheet.vue'

const desk = useNewDesk()
const { mode, base, policy, whole, error, selected, carried } = desk
const panel = ref<InstanceType<typeof RulesPanel>>()
useRuleKeys(desk, () => panel.value?.askDelete())

/** The panel is about more than the policy. */
const busy = computed(
  () =>
    base.value.is !== 'looking' || !!selected.value || !!carried.value || desk.beside.other.value !== null,
)
const begins = computed(() =>
  selected.value ? `${selected.value.position} ${selected.value.rule.name}` : 'the end of the list',
)
// What was asked on top of the list gives the keyboard back to it.
watch(
  () => 'under' in mode.value,
  (over) => !over && base.value.is !== 'writing' && desk.goBack(),
)
</script>

<template>
  <div v-if="policy" class="rules" :class="{ busy }">
    <RulesHead />
    <RuleList />
    <HoldingLine />
    <RulesPanel ref="panel" class="aside" />
    <SectionSheet
      v-if="mode.is === 'section'"
      :naming="mode.naming"
      :begins="begins"
      :save="desk.acts.nameSection"
      @close="desk.back"
    />
    <DeleteSheet
      v-if="mode.is === 'deleting'"
      :row="mode.row"
      :told="desk.toldOf('deleting')"
      :stale="desk.stale.value"
      :failure="desk.failure.value"
      @remove="desk.remove"
      @close="desk.back"
      @ask="desk.ask"
    />
  </div>
  <p v-else-if="error" class="empty problem" role="alert">{{ error.message }}</p>
  <p v-else-if="whole && !whole.policies.length" class="empty soft">
    This network has no policy yet. A policy is an ordered list of rules; the first that matches a packet
    decides.
  </p>
  <p v-else class="empty soft soon" role="status">The rules are on their way …</p>
</template>

<style scoped>
.rules {
  height: 100%;
  display: grid;
  grid-template: auto 1fr auto / minmax(0, 1fr);
}
.aside {
  grid-column: 2;
  grid-row: 1 / -1;
}
/* The panel has its place even when nothing is chosen: choosing a row does not move the list. */
@media (min-width: 1150px) {
  .rules {
    grid-template-columns: minmax(0, 1fr) 332px;
  }
}
@media (max-width: 1149px) {
  .rules.busy {
    grid-template-columns: minmax(0, 1fr) 324px;
  }
  .rules:not(.busy) > .aside {
    display: none;
  }
}
/* Narrow, the panel is a sheet over the list. */
@media (max-width: 859px) {
  .rules.busy {
    grid-template: auto minmax(0, 1fr) auto minmax(0, 1.3fr) / minmax(0, 1fr);
  }
  .rules.busy > .aside {
    grid-column: 1;
    grid-row: 4;
    border-left: 0;
    border-top: 2px solid var(--ink);
  }
}
@media (max-width: 859px) and (max-height: 640px) {
  .rules.busy {
    grid-template-rows: 0 0 0 minmax(0, 1fr);
  }
  .rules.busy > :not(.aside) {
    visibility: hidden;
  }
}
.empty {
  padding: 24px;
  font-size: 14px;
}
</style>
