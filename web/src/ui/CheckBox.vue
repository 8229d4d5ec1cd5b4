<script setup lang="ts">
/** On or off, with what it says beside it. */
const on = defineModel<boolean>({ required: true })
</script>

<template>
  <label class="check">
    <input v-model="on" type="checkbox" />
    <span><slot /></span>
  </label>
</template>

<style scoped>
.check {
  display: inline-flex;
  gap: 7px;
  align-items: baseline;
  font-size: 13px;
  cursor: pointer;
}
input {
  appearance: none;
  flex: none;
  position: relative;
  top: 2px;
  width: 14px;
  height: 14px;
  margin: 0;
  background: var(--sheet);
  border: 1px solid var(--soft);
  border-radius: 2px;
  cursor: pointer;
}
/* A line that crosses the box, as our lines pass a gate. */
input:checked {
  background:
    linear-gradient(var(--depth-5), var(--depth-5)) center / 8px 8px no-repeat,
    var(--sheet);
  border-color: var(--depth-5);
}
</style>
