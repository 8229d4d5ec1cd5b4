<script setup lang="ts">
/** Beside the list: what is being done, or all that is known of the rule that is chosen. */
import { computed, defineAsyncComponent, onMounted, ref } from 'vue'
import { useDesk } from '@/places/rules/desk'
import DropPreview from '@/places/rules/DropPreview.vue'
import PolicyAbout from '@/places/rules/PolicyAbout.vue'
import type RulesTogetherForm from '@/places/rules/RulesTogether.vue'

// The list comes first; what is opened beside it follows when there is time, so that it is there even where the connection goes.
const SOON_MS = 300
const LATER = {
  BesideList: () => import('@/places/rules/BesideList.vue'),
  RuleAbout: () => import('@/places/rules/RuleAbout.vue'),
  RuleEditor: () => import('@/places/rules/RuleEditor.vue'),
  RulesTidied: () => import('@/places/rules/RulesTidied.vue'),
  RulesTogether: () => import('@/places/rules/RulesTogether.vue'),
}
const BesideList = defineAsyncComponent(LATER.BesideList)
const RuleAbout = defineAsyncComponent(LATER.RuleAbout)
const RuleEditor = defineAsyncComponent(LATER.RuleEditor)
const RulesTidied = defineAsyncComponent(LATER.RulesTidied)
const RulesTogether = defineAsyncComponent(LATER.RulesTogether)
onMounted(() =>
  setTimeout(() => Object.values(LATER).forEach((load) => void load().catch(() => undefined)), SOON_MS),
)

const desk = useDesk()
const { mode, base, policy, rows, names, selected, carried, writable, stale, network, acts } = desk
const several = ref<InstanceType<typeof RulesTogetherForm>>()
const about = computed(() => {
  if (base.value.is === 'tidying') return 'Tidy'
  return base.value.is === 'looking' && !selected.value && !carried.value ? 'Policy' : 'Rule'
})
defineExpose({ askDelete: () => several.value?.askDelete() })
</script>

<template>
  <aside v-if="policy" class="panel" data-pane :aria-label="about">
    <button
      v-if="base.is !== 'writing' && mode.is !== 'carrying' && about !== 'Policy'"
      class="link small shut"
      @click="desk.letGo"
    >
      back to the list
    </button>
    <DropPreview
      v-if="mode.is === 'carrying' && carried"
      :row="carried"
      :target="desk.target.value"
      :places="rows.length"
      :told="desk.toldOf('carrying')"
      :stale="stale"
      :by-keys="mode.byKeys"
      @put="desk.drop"
      @back="desk.back"
      @place="desk.hold"
    />
    <!-- A form keeps what is written in it while another rule is carried. -->
    <RuleEditor
      v-if="base.is === 'writing'"
      v-show="mode.is !== 'carrying'"
      :key="base.stamp"
      :network="network"
      :at="base"
      :now="desk.written.value"
      :place="desk.writingPlace.value"
      :policy="policy.id"
      :names="names"
      :told="desk.toldOf('writing')"
      :stale="stale"
      :save="desk.save"
      @edit="desk.amend({ edit: $event })"
      @place="desk.amend({ index: $event - 1 })"
      @close="desk.close"
      @ask="desk.ask"
    />
    <template v-else-if="mode.is !== 'carrying'">
      <RulesTogether
        v-if="base.is === 'several' && writable"
        ref="several"
        :rows="desk.together.value"
        :count="rows.length"
        :names="names"
        :busy="desk.busyTogether.value"
        :without="desk.toldOf('several')"
        :stale="stale"
        :act="acts.many"
        @move="(place: number) => acts.moveMany(() => place)"
        @clear="desk.reset()"
        :changing="base.edit !== null"
        @edit="desk.intend"
      />
      <RulesTidied
        v-else-if="base.is === 'tidying'"
        :network="network"
        :policy="policy.id"
        :revision="desk.revision.value"
        :writable="writable"
        :busy="desk.busyTidying.value"
        @out="acts.tidy"
        @keep="acts.mark"
        @go="desk.go"
        @close="desk.toggleTidying"
      />
      <BesideList v-else-if="desk.beside.other.value !== null" />
      <RuleAbout
        v-else-if="selected"
        :network="network"
        :row="selected"
        :writable="writable"
        :without="desk.toldOf('looking')"
        :stale="stale"
        :others="(desk.whole.value?.policies ?? []).filter((p) => p.id !== policy!.id)"
        @carry="(to, swap) => desk.carry(selected!, to, swap)"
        @edit="desk.write(selected.id, selected.position - 1, { rule: selected.rule })"
        @remove="desk.over({ is: 'deleting', row: selected })"
        @toggle="acts.toggle(selected.id)"
        @ask="desk.ask"
        @go="desk.go"
        @move="acts.move(selected.id, $event)"
        @out="acts.tidy([selected.id])"
        @lend="desk.lend(selected)"
        @take-off="(field, members) => acts.takeOff(selected!.id, field, members)"
      />
      <PolicyAbout v-else :policy="policy" :writable="writable" @go="desk.go" />
    </template>
  </aside>
</template>

<style scoped>
.shut {
  display: none;
  padding: 8px 16px 0;
}
@media (max-width: 859px) {
  .shut {
    display: block;
  }
}
.panel {
  min-height: 0;
  overflow-y: auto;
  background: var(--sheet);
  border-left: 1px solid var(--hair);
}
</style>
