<script setup lang="ts">
/** The default of the policy: a row like any other, and the last one. */
import type { PolicyOut } from '@/api/client'
import { courseOfDefault } from '@/chart/courses'
import LineCode from '@/chart/LineCode.vue'
import TideGauge from '@/chart/TideGauge.vue'

defineProps<{ policy: PolicyOut; tabbable: boolean; selected: boolean; index: number }>()
const emit = defineEmits<{ ask: [question: string] }>()
</script>

<template>
  <div
    class="otherwise"
    role="row"
    data-line="otherwise"
    data-otherwise
    data-stop
    :tabindex="tabbable ? 0 : -1"
    :aria-rowindex="index"
    :aria-selected="selected"
  >
    <div class="soft small" role="gridcell">
      Otherwise · the default of this policy<template v-if="policy.default_decides === 'none'"
        >; nothing reaches it</template
      >
      <template v-else-if="policy.default_witness">
        · for example
        <button
          class="link raw"
          :tabindex="selected ? 0 : -1"
          @click.stop="emit('ask', policy.default_witness.question)"
        >
          {{ policy.default_witness.text }}
        </button>
      </template>
    </div>
    <div class="rule-cells">
      <span class="soft dash" role="gridcell">–</span>
      <TideGauge :decides="policy.default_decides" role="gridcell" />
      <span role="gridcell">otherwise</span>
      <span class="from" role="gridcell">any</span>
      <LineCode :course="courseOfDefault(policy.default)" label="any" role="gridcell" />
      <span role="gridcell">{{ policy.default === 'continue' ? 'the next policy' : 'any' }}</span>
    </div>
  </div>
</template>

<style scoped>
.otherwise {
  padding: 10px 0 8px;
  border-bottom: 1px solid var(--hair);
  outline-offset: -2px;
}
.otherwise > .small {
  padding-left: 68px;
}
.dash,
.from {
  text-align: right;
}
</style>
