<script setup lang="ts">
/** A name; its value shows on hover and focus without leaving the rule. */
import { usePeek } from '@/frame/peek'

const props = withDefaults(
  defineProps<{ name: string; kind: 'address' | 'service'; dim?: boolean; tabbable?: boolean }>(),
  { tabbable: true },
)
const peek = usePeek()
const raw = /^[\d:]|[/:]/.test(props.name)

function show(event: Event, delay?: number): void {
  peek.show(props.name, props.kind, event.currentTarget as HTMLElement, delay)
}
</script>

<template>
  <span
    class="name"
    :class="{ raw, dim, any: name === 'any' }"
    :tabindex="tabbable ? 0 : -1"
    @mouseenter="show"
    @mouseleave="peek.hide()"
    @focus="show($event, 0)"
    @blur="peek.hide()"
    @keydown.esc="peek.hide()"
    >{{ name }}</span
  >
</template>

<style scoped>
.name {
  border-bottom: 1px solid var(--depth-3);
  cursor: default;
  white-space: nowrap;
}
.any {
  border-bottom-style: dotted;
}
.dim {
  color: var(--soft);
}
</style>
