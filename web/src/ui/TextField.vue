<script setup lang="ts">
/** A field to write in, under its label; what is wrong with it is told below. */
import { computed, useId } from 'vue'

defineOptions({ inheritAttrs: false })
const props = withDefaults(
  defineProps<{
    label: string
    /** The label is only read out: what stands around the field says it. */
    quiet?: boolean
    id?: string
    problems?: readonly string[]
    /** Lines; one if nothing is said. */
    rows?: number
    mono?: boolean
  }>(),
  { quiet: false, id: undefined, problems: () => [], rows: 1, mono: false },
)
const value = defineModel<string | number | null>({ required: true })
const own = useId()
const at = computed(() => props.id ?? own)
</script>

<template>
  <div class="ui-field" :class="{ mono }">
    <label v-if="!quiet" class="ui-label" :for="at">{{ label }}</label>
    <v-textarea
      v-if="rows > 1"
      :id="at"
      v-bind="$attrs"
      v-model="value"
      :rows="rows"
      auto-grow
      :aria-label="quiet ? label : undefined"
      :error-messages="[...problems]"
    />
    <v-text-field
      v-else
      :id="at"
      v-bind="$attrs"
      v-model="value"
      :aria-label="quiet ? label : undefined"
      :error-messages="[...problems]"
    />
  </div>
</template>
