<script setup lang="ts">
/** Whether something that must hold does, as a line and in words; what does not leads to the packet and to the rule. */
import { computed } from 'vue'
import type { Shapes } from '@/api/client'
import LineCode from '@/chart/LineCode.vue'
import { courseOf, wordOf } from '@/places/verify/holding'

const props = defineProps<{
  told: Shapes['Verdicted']
  must: 'allowed' | 'blocked'
  network: number
  small?: boolean
  /** What it is in a word, where it is nothing that somebody wrote to hold. */
  word?: string
}>()
const emit = defineEmits<{ ask: [question: string] }>()
const rule = computed(() => props.told.stopped ?? props.told.let_through.find((s) => s.rule_id) ?? null)
const reason = computed(() => {
  const name = rule.value?.rule
  const at = name ? props.told.reason.indexOf(name) : -1
  if (!name || at < 0) return { before: props.told.reason, name: '', after: '' }
  return { before: props.told.reason.slice(0, at), name, after: props.told.reason.slice(at + name.length) }
})
</script>

<template>
  <div class="verdict" :class="{ small }">
    <LineCode class="drawn" :course="courseOf(told.verdict, must)" small />
    <span :class="told.verdict">{{ word ?? wordOf(told.verdict) }}</span>
    <span v-if="told.reason || told.flow" class="why small">
      <button
        v-if="told.flow && told.ends"
        type="button"
        class="link"
        @click.stop="emit('ask', told.flow.question)"
      >
        {{ told.ends.source }} → {{ told.ends.destination }} : {{ told.ends.service }}
      </button>
      <span v-if="told.reason">
        {{ reason.before
        }}<router-link
          v-if="reason.name && rule?.rule_id"
          class="link"
          :to="{ name: 'rules', params: { network, policy: rule.policy_id }, query: { rule: rule.rule_id } }"
          @click.stop
          >{{ rule.position }} {{ reason.name }}</router-link
        ><template v-else>{{ reason.name }}</template
        >{{ reason.after }}</span
      >
    </span>
  </div>
</template>

<style scoped>
.verdict {
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: 0 10px;
  align-items: start;
  overflow-wrap: anywhere;
}
.drawn {
  margin-top: 2px;
}
.kept {
  color: var(--soft);
}
.why {
  grid-column: 2;
}
.why .link {
  margin-right: 8px;
  text-align: left;
}
.broken,
.empty {
  font-weight: 650;
  color: var(--reject);
}
.undetermined {
  font-weight: 650;
  color: var(--warning);
}
</style>
