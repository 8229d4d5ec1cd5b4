<script setup lang="ts" generic="T extends string | number | boolean | null">
/** One of a few, all of them in sight beside each other, or below each other. */
import { useId } from 'vue'

withDefaults(
  defineProps<{
    label: string
    items: readonly { title: string; value: T }[]
    problem?: string
    below?: boolean
  }>(),
  { problem: '', below: false },
)
const value = defineModel<T>({ required: true })
const name = useId()
</script>

<template>
  <div>
    <div class="line" :class="{ below }" role="radiogroup" :aria-label="label">
      <label v-for="item in items" :key="String(item.value)" :class="{ on: value === item.value }">
        <input v-model="value" type="radio" :name="name" :value="item.value" />
        <slot :item="item">{{ item.title }}</slot>
      </label>
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
.line {
  display: inline-grid;
  grid-auto-flow: column;
  border: 1px solid var(--hair);
}
.line.below {
  grid-auto-flow: row;
}
label {
  padding: 6px 14px 4px;
  font-size: 13px;
  text-align: center;
  cursor: pointer;
  border-bottom: 3px solid transparent;
}
.below label {
  padding: 4px 10px 4px 8px;
  text-align: left;
  border-bottom: 0;
  border-left: 3px solid transparent;
}
label + label {
  box-shadow: -1px 0 var(--hair);
}
.below label + label {
  box-shadow: 0 -1px var(--hair);
}
label.on {
  background: var(--selected);
  border-color: var(--focus);
  font-weight: 650;
}
label:focus-within {
  outline: 2px solid var(--focus);
}
input {
  position: absolute;
  opacity: 0;
  pointer-events: none;
}
</style>
