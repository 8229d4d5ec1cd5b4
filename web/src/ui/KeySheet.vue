<script setup lang="ts">
/** All keys that do something here, by where they do it. */
import { computed, ref } from 'vue'
import { tables, useKeys, written } from '@/ui/keys'

const open = ref(false)
const show = (): void => void (open.value = true)
useKeys('Everywhere', [{ on: ['?'], says: 'these keys', act: show }])
defineExpose({ show })
const told = computed(() =>
  [...new Set(tables.map((t) => t.title))].map((title) => ({
    title,
    keys: tables.filter((t) => t.title === title).flatMap((t) => t.keys.filter((k) => k.says)),
  })),
)
</script>

<template>
  <v-dialog v-model="open" max-width="760" :transition="false" aria-labelledby="keys-title">
    <div class="keys">
      <h2 id="keys-title">Keys</h2>
      <button class="link shut" @click="open = false">close</button>
      <section v-for="table in told" :key="table.title">
        <h3>{{ table.title }}</h3>
        <dl>
          <template v-for="key in table.keys" :key="key.says">
            <dt>
              <kbd v-for="on in key.shows ?? key.on" :key="on">{{ written(on) }}</kbd>
            </dt>
            <dd>{{ key.says }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </v-dialog>
</template>

<style scoped>
.keys {
  position: relative;
  padding: 18px 22px 22px;
  background: var(--sheet);
  border-radius: 3px;
  columns: 2;
  column-gap: 34px;
  max-height: 80vh;
  overflow-y: auto;
}
h2 {
  column-span: all;
}
h3 {
  margin: 12px 0 4px;
  font-size: 13px;
  color: var(--soft);
  font-weight: 650;
}
section {
  break-inside: avoid-column;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 5px 12px;
  font-size: 13.5px;
}
dt {
  display: flex;
  gap: 4px;
  justify-content: flex-end;
}
dd {
  margin: 0;
}
.shut {
  position: absolute;
  top: 20px;
  right: 22px;
}
</style>
