<script setup lang="ts" generic="T extends string | number | null">
/** One of a few, chosen from a list that opens; with `search`, one of many, found by typing. */
import { computed, useId } from 'vue'
import { listNamed } from '@/ui/listNamed'

defineOptions({ inheritAttrs: false })
const props = withDefaults(
  defineProps<{
    label: string
    quiet?: boolean
    id?: string
    items: readonly (T | { title: string; value: T })[]
    problems?: readonly string[]
    search?: boolean
    /** As wide as what it says, in the middle of a sentence. */
    inline?: boolean
  }>(),
  { quiet: false, id: undefined, problems: () => [], search: false, inline: false },
)
const value = defineModel<T | null>({ required: true })
const own = useId()
const at = computed(() => props.id ?? own)
const listed = computed(() =>
  props.items.map((item) =>
    item !== null && typeof item === 'object' ? item : { title: String(item), value: item },
  ),
)
</script>

<template>
  <div class="ui-field" :class="{ inline }">
    <label v-if="!quiet" class="ui-label" :for="at">{{ label }}</label>
    <v-autocomplete
      v-if="search"
      :id="at"
      v-bind="{ ...$attrs, ...listNamed(label) }"
      v-model="value"
      :items="listed"
      auto-select-first
      hide-no-data
      :aria-label="label"
      :error-messages="[...problems]"
    />
    <v-select
      v-else
      :id="at"
      v-bind="{ ...$attrs, ...listNamed(label) }"
      v-model="value"
      :items="listed"
      :aria-label="label"
      :error-messages="[...problems]"
    />
  </div>
</template>
