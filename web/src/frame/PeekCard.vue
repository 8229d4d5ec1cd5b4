<script setup lang="ts">
/** What the name under the pointer or the focus stands for. */
import { figure } from '@/words'
import { computed } from 'vue'
import type { NameOut } from '@/api/client'
import { usePeek } from '@/frame/peek'

const props = defineProps<{ names: NameOut[] }>()
const peek = usePeek()
const WIDTH = 300

const found = computed(() =>
  props.names.find(
    (n) =>
      n.name.toLowerCase() === peek.name?.toLowerCase() &&
      (n.kind === 'service') === (peek.kind === 'service'),
  ),
)
const style = computed(() => {
  const at = peek.anchor
  if (!at) return {}
  const left = Math.min(Math.max(8, at.left), window.innerWidth - WIDTH - 8)
  return at.bottom > window.innerHeight - 190
    ? { left: `${left}px`, bottom: `${window.innerHeight - at.top + 6}px`, width: `${WIDTH}px` }
    : { left: `${left}px`, top: `${at.bottom + 6}px`, width: `${WIDTH}px` }
})
const groups = computed(() => {
  const members = found.value?.members ?? []
  const values = found.value?.values ?? []
  return members.join() === values.join() ? [] : members
})
</script>

<template>
  <div v-if="peek.name && peek.anchor" class="peek" role="tooltip" :style="style">
    <template v-if="found">
      <div class="head">
        <strong>{{ found.name }}</strong> <span class="soft small">{{ found.kind }}</span>
      </div>
      <div v-if="found.description" class="soft small">{{ found.description }}</div>
      <div v-if="groups.length" class="small members">{{ groups.join(', ') }}</div>
      <div v-for="value in found.values" :key="value" class="raw">{{ value }}</div>
      <div v-if="found.more" class="soft small">and {{ figure(found.more) }} more</div>
      <div v-if="!found.values.length" class="warning small">holds nothing</div>
    </template>
    <template v-else-if="peek.name === 'any'">
      <strong>any</strong>
      <div class="soft small">
        {{ peek.kind === 'service' ? 'every protocol, all 256' : 'every address of both families' }}
      </div>
    </template>
    <template v-else>
      <span class="raw">{{ peek.name }}</span>
      <div class="soft small">written out; no name stands for it here</div>
    </template>
  </div>
</template>

<style scoped>
.peek {
  position: fixed;
  z-index: 3000;
  padding: 9px 12px 10px;
  background: var(--sheet);
  border: 1px solid var(--depth-4);
  border-top: 3px solid var(--depth-5);
  border-radius: 2px;
  box-shadow: 0 6px 18px rgb(0 0 0 / 18%);
  pointer-events: none;
}
.head {
  margin-bottom: 1px;
}
.members {
  margin: 3px 0;
}
</style>
