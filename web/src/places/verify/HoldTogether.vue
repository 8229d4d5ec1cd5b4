<script setup lang="ts">
/** Several things that must hold, chosen: one act on all of them, one step to take back. */
import { computed, ref, watch } from 'vue'
import { type ExpectationOut, type Given } from '@/api/expectations'
import { standing } from '@/places/verify/holding'
import DateField from '@/ui/DateField.vue'
import TextField from '@/ui/TextField.vue'
import { counted, listed } from '@/words'

const props = defineProps<{
  chosen: ExpectationOut[]
  busy: boolean
  refused: string
  act: (act: 'delete' | 'change', given?: Given) => Promise<void>
}>()
const emit = defineEmits<{ clear: [] }>()

/** What all of them have alike; nothing where they differ. */
const alike = (of: (one: ExpectationOut) => string | null | undefined) => {
  const all = new Set(props.chosen.map((one) => of(one) ?? ''))
  return all.size === 1 ? [...all][0]! : ''
}
const owner = ref('')
const until = ref('')
const at = ref('')
const sure = ref(false)
const key = computed(() => props.chosen.map((one) => `${one.id} ${one.ver}`).join())
watch(
  key,
  () => {
    owner.value = alike((one) => one.thing.owner)
    until.value = alike((one) => one.thing.until)
    at.value = alike((one) => one.thing.at)
    sure.value = false
  },
  { immediate: true },
)
const names = computed(() =>
  listed(
    props.chosen.map((one) => one.thing.name),
    8,
  ),
)
</script>

<template>
  <section class="together form-panel" @keydown.esc.stop="emit('clear')">
    <h2>{{ counted(chosen.length, 'thing') }} that must hold</h2>
    <p class="soft small">{{ names }}</p>
    <p class="small">{{ standing(chosen) }}</p>
    <form @submit.prevent="act('change', { owner })">
      <TextField v-model="owner" label="Who answers for them" />
      <v-btn type="submit" variant="outlined" :disabled="busy">{{
        owner.trim() ? `${owner.trim()} answers for all` : 'Nobody answers for them'
      }}</v-btn>
    </form>
    <form @submit.prevent="act('change', { until })">
      <DateField v-model="until" label="Until the date" />
      <v-btn type="submit" variant="outlined" :disabled="busy">{{
        until ? `Until ${until}` : 'Without an end'
      }}</v-btn>
    </form>
    <form @submit.prevent="act('change', { at })">
      <TextField v-model="at" label="At, if not always" />
      <v-btn type="submit" variant="outlined" :disabled="busy">{{
        at.trim() ? `At ${at.trim()}` : 'Always'
      }}</v-btn>
    </form>
    <p v-if="refused" class="problem" role="alert">{{ refused }}</p>
    <div class="form-end">
      <v-btn v-if="!sure" variant="outlined" :disabled="busy" @click="sure = true">Delete</v-btn>
      <v-btn v-else color="primary" :disabled="busy" @click="act('delete')"
        >Delete all {{ chosen.length }}</v-btn
      >
      <v-btn variant="outlined" @click="emit('clear')">Choose none</v-btn>
    </div>
  </section>
</template>

<style scoped>
form {
  display: grid;
  gap: 6px;
  justify-items: start;
  margin: 16px 0 0;
}
form > :first-child {
  width: 100%;
}
.form-end {
  margin-top: 22px;
}
</style>
