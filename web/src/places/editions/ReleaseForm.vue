<script setup lang="ts">
/** Bringing a version into force: what that does, what stands against it, and why it is done. */
import { computed, reactive, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Shapes } from '@/api/client'
import { useProspect, useReleaseActs } from '@/api/releases'
import ChoiceField from '@/ui/ChoiceField.vue'
import ChoiceLine from '@/ui/ChoiceLine.vue'
import DateField from '@/ui/DateField.vue'
import { read } from '@/ui/dates'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import { leftAt, useUnsaved } from '@/editing/unsaved'
import ComparedEffect from '@/places/editions/ComparedEffect.vue'

const props = defineProps<{
  editions: readonly Shapes['EditionOut'][]
  told: Shapes['ReleasesOut']
  may: boolean
}>()
const { id: network, revision } = useFrame()
const route = useRoute()
const router = useRouter()
const acts = useReleaseActs(network)
const { busy, problem, act } = useAct()

const number = computed(() => {
  const given = route.query.number
  return typeof given === 'string' && /^\d+$/.test(given) ? Number(given) : null
})
function choose(value: number | null): void {
  void router.replace({ query: { ...route.query, number: value ?? undefined } })
}
const offered = computed(() => [
  { title: 'the draft', value: null as number | null },
  ...props.editions.map((e) => ({
    title: `edition ${e.number}${e.number === props.told.in_force ? ', in force' : ''}`,
    value: e.number as number | null,
  })),
])
const WHEN = [
  { title: 'now', value: false },
  { title: 'at a moment', value: true },
]
const { data: prospect, isFetching, error } = useProspect(network, revision, number)
const guards = (weight: Shapes['GuardOut']['weight']) =>
  computed(() => prospect.value?.guards.filter((g) => g.weight === weight) ?? [])
const stops = guards('stops')
const reasons = guards('wants a reason')
const notes = guards('told')

const BLANK = { reason: '', reference: '', later: false, due: '', minutes: null as number | null }
const place = `release ${network.value}`
const left = leftAt<{ answers: Record<string, string>; form: typeof BLANK }>(place)
const answers = reactive<Record<string, string>>(left?.answers ?? {})
const form = reactive(left?.form ?? { ...BLANK })
useUnsaved(
  () => place,
  () => [form.reason, form.reference, ...Object.values(answers)].some((text) => text.trim() !== ''),
  () => ({ answers, form }),
)
const minutes = computed({
  get: () => form.minutes ?? props.told.settings.confirm_minutes,
  set: (value: number) => (form.minutes = value),
})
watch(number, () => (problem.value = ''))
const same = computed(() => prospect.value?.guards.some((g) => g.key === 'same') ?? false)
const ready = computed(
  () =>
    form.reason.trim() !== '' &&
    !stops.value.length &&
    reasons.value.every((g) => answers[g.key]?.trim()) &&
    (!form.later || read(form.due, true) !== null) &&
    !isFetching.value,
)
const done = ref('')
function release() {
  return act(async () => {
    const made = await acts.release.mutateAsync({
      number: number.value,
      revision: prospect.value!.revision,
      reason: form.reason,
      reference: form.reference,
      due_at: form.later ? read(form.due, true)!.toISOString() : null,
      confirm_minutes: minutes.value,
      answers: Object.fromEntries(reasons.value.map((g) => [g.key, answers[g.key] ?? ''])),
    })
    done.value = `Release ${made.number}.`
    Object.assign(form, BLANK)
    for (const key of Object.keys(answers)) delete answers[key]
  })
}
function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}
</script>

<template>
  <section class="release" aria-label="Bring into force">
    <h2>
      Bring
      <ChoiceField
        quiet
        inline
        label="What to release"
        :items="offered"
        :model-value="number"
        @update:model-value="choose($event)"
      />
      into force
    </h2>
    <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
    <template v-else-if="prospect">
      <div class="effect" :class="{ stale: isFetching }">
        <ComparedEffect v-if="prospect.told" :told="prospect.told" :stale="isFetching" :few="8" @ask="ask" />
      </div>
      <ul v-if="stops.length" class="guards" aria-label="What stops it">
        <li v-for="g in stops" :key="g.key" class="stops">
          <strong>Cannot be released:</strong> {{ g.text }}
        </li>
      </ul>
      <div v-for="g in reasons" :key="g.key" class="guard reason">
        <label :for="`why-${g.key}`"><strong>Why all the same?</strong> {{ g.text }}</label>
        <textarea :id="`why-${g.key}`" v-model="answers[g.key]" class="plain-field" rows="2" />
      </div>
      <details v-if="notes.length" class="guards">
        <summary class="small">worth knowing: {{ notes.length }}</summary>
        <ul>
          <li v-for="g in notes" :key="g.key" class="small">{{ g.text }}</li>
        </ul>
      </details>
      <form v-if="may" class="fields" @submit.prevent="release">
        <label class="wide"
          >Why
          <textarea v-model="form.reason" class="plain-field" rows="2" aria-label="Why it is released" />
        </label>
        <label
          >Reference
          <input v-model="form.reference" class="plain-field" placeholder="ticket, mail, minutes" />
        </label>
        <label
          >Goes back unless confirmed within
          <span
            ><input v-model.number="minutes" class="plain-field few" type="number" min="0" max="1440" />
            minutes; 0: it stays</span
          >
        </label>
        <div class="wide when">
          <ChoiceLine v-model="form.later" label="When" :items="WHEN" />
          <DateField v-if="form.later" v-model="form.due" time quiet label="Moment of the release" />
        </div>
        <div class="wide">
          <v-btn type="submit" color="primary" :disabled="!ready" :loading="busy">{{
            form.later ? 'Plan it' : 'Bring into force'
          }}</v-btn>
          <span v-if="done" class="soft small said" role="status">{{ done }}</span>
          <span v-else-if="same" class="soft small said">it does what is in force already</span>
        </div>
        <p v-if="problem" class="problem wide" role="alert">{{ problem }}</p>
      </form>
      <p v-else class="soft">Releasers and administrators bring it into force.</p>
    </template>
  </section>
</template>

<style scoped>
.release h2 {
  margin-bottom: 10px;
}
.effect.stale {
  opacity: 0.5;
}
.guards {
  list-style: none;
  padding: 0;
  margin: 10px 0;
}
.stops,
.reason {
  padding: 6px 0 6px 12px;
  border-left: 4px solid var(--drop);
  margin: 8px 0;
}
.reason {
  border-left-color: var(--warning);
}
.reason label {
  display: block;
  margin-bottom: 4px;
}
textarea {
  width: 100%;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px 16px;
  margin-top: 14px;
}
.fields label {
  display: flex;
  flex-direction: column;
  gap: 3px;
}
.fields .when,
.fields .when label {
  display: flex;
  flex-direction: row;
  gap: 8px;
  align-items: center;
}
.wide {
  grid-column: 1 / -1;
}
.said {
  margin-left: 10px;
}
.few {
  width: 74px;
}
</style>
