<script setup lang="ts">
/** Pinned questions with their courses; those that the edit in hand would turn stand out. */
import { watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { askPins } from '@/api/questions'
import { courseOfAnswer } from '@/chart/courses'
import { useConsequence } from '@/editing/consequence'
import { useFrame } from '@/frame/frame'
import { usePins } from '@/frame/pins'
import LineCode from '@/chart/LineCode.vue'

const PAUSE_MS = 60
const { id, revision } = useFrame()
const pins = usePins()
const route = useRoute()
const router = useRouter()
const { told, stale, about } = useConsequence(
  'pins',
  ({ asker, generation }, body: Parameters<typeof askPins>[1], signal) =>
    askPins(id.value, { ...body, asker, generation }, signal),
)
let timer = 0

watch(id, (now) => pins.open(now), { immediate: true })
watch(
  [() => pins.questions, () => pins.inHand, revision],
  () => {
    clearTimeout(timer)
    if (!pins.questions.length || revision.value < 0) {
      void about(null)
      return
    }
    timer = window.setTimeout(
      () =>
        void about({
          questions: pins.questions,
          policy_id: pins.inHand?.policy ?? null,
          edit: pins.inHand?.edit ?? null,
        }),
      PAUSE_MS,
    )
  },
  { immediate: true },
)
const answer = (question: string) => told.value?.pins.find((pin) => pin.question === question)
const turns = (question: string) => {
  const pin = answer(question)
  return pin !== undefined && pin.before !== pin.after
}
</script>

<template>
  <section v-if="pins.questions.length" class="pinned" :class="{ stale }" aria-label="Pinned questions">
    <p class="soft small">pinned</p>
    <div
      v-for="question in pins.questions"
      :key="question"
      class="pin"
      :class="{ turns: turns(question) }"
      data-testid="pin"
    >
      <button
        class="plain text"
        :title="answer(question)?.sentence ?? question"
        @click="router.replace({ query: { ...route.query, q: question } })"
      >
        {{ question }}
      </button>
      <button class="plain off" :aria-label="`Unpin ${question}`" @click="pins.toggle(question)">×</button>
      <LineCode :course="courseOfAnswer(answer(question)?.after ?? null)" small class="course" />
      <p v-if="turns(question)" class="small turned" aria-live="polite">
        {{ answer(question)?.after ?? 'not asked' }} · was {{ answer(question)?.before ?? 'not asked' }}
      </p>
    </div>
  </section>
</template>

<style scoped>
.pinned {
  margin-top: auto;
  padding: 10px 12px 0 14px;
  border-top: 1px solid var(--hair);
  max-height: 40%;
  overflow-y: auto;
  flex: none;
}
.pinned.stale .course {
  opacity: 0.5;
}
.pin {
  display: grid;
  grid-template-columns: 1fr auto;
  padding: 3px 6px 4px;
  margin: 0 -6px;
}
.pin.turns {
  background: var(--selected);
}
.text {
  font-size: 12.5px;
  text-align: left;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
  line-height: 1.25;
}
.off {
  opacity: 0;
  padding: 0 2px;
  color: var(--soft);
}
.pin:hover .off,
.off:focus-visible {
  opacity: 1;
}
.course,
.turned {
  grid-column: 1 / -1;
}
.turned {
  color: var(--warning);
  margin: 0;
}
</style>
