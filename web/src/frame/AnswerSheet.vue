<script setup lang="ts">
/** The whole course of an answer: every place passed, who decided there, what the sender would notice. */
import { useRoute } from 'vue-router'
import type { AnswerOut, PartOut } from '@/api/client'
import { ACTS, COURSE_OF_RESULT, deciderOf, servicesOf } from '@/chart/courses'
import AnswerBeside from '@/frame/AnswerBeside.vue'
import LineCode from '@/chart/LineCode.vue'
import { aboutOne } from '@/words'

defineProps<{ answer: AnswerOut }>()
const emit = defineEmits<{ ask: [question: string]; close: [] }>()
const route = useRoute()

function symptom(part: PartOut): string {
  if (part.result === 'delivered')
    return part.steps.length ? 'arrives; the answer comes back' : 'arrives, passes no device'
  if (part.result === 'unanswered') return `arrives, but ${part.missing}; the sender notices ${part.symptom}`
  if (part.result === 'undetermined') return part.missing ?? 'undetermined'
  return `${part.missing ? `${part.missing}; ` : ''}the sender notices: ${part.symptom}`
}
</script>

<template>
  <section class="sheet" aria-label="The course of the answer" data-testid="course">
    <header>
      <strong>{{ answer.source }} to {{ answer.destination }}</strong>
      <span class="soft">
        on {{ answer.service }}{{ answer.state === 'new' ? '' : `, ${answer.state}`
        }}{{ answer.at ? `, ${answer.at}` : '' }}{{ answer.given && `, ${answer.given}`
        }}{{ answer.of === 'draft' ? '' : `, as of ${answer.of}` }}</span
      >
      <span v-if="answer.note" class="soft"> · {{ answer.note }}</span>
      <span class="close">
        <router-link
          class="link"
          :to="{ name: 'question', params: { network: route.params.network }, query: { q: answer.question } }"
          @click="emit('close')"
          >place by place</router-link
        >
        <button class="link" @click="emit('close')">close</button>
      </span>
    </header>
    <AnswerBeside :answer="answer" @leave="emit('close')" />
    <p v-if="!answer.parts.length" class="soft">{{ answer.sentence }}</p>
    <article v-for="(part, index) in answer.parts" :key="index" class="part">
      <p v-if="part.when" class="when">{{ part.when }}</p>
      <div class="ends">
        <span class="end from">{{ part.sources.join(', ') }}</span>
        <LineCode :course="COURSE_OF_RESULT[part.result]" :label="servicesOf(part)" class="way" />
        <span class="end">{{ part.destinations.join(', ') }}</span>
      </div>
      <ol class="steps">
        <li v-for="step in part.steps" :key="`${step.device} ${step.stage} ${step.policy}`">
          <span class="soft">{{ step.device }} {{ step.stage }}</span> {{ ACTS[step.action] }} by
          <router-link
            v-if="step.policy_id"
            class="link"
            :to="{
              name: 'rules',
              params: { network: route.params.network, policy: step.policy_id },
              query: { q: answer.question, rule: step.rule_id ?? 'otherwise' },
            }"
            @click="emit('close')"
            >{{ deciderOf(step) }}</router-link><template v-else>{{ deciderOf(step) }}</template>
          <span v-if="step.policy" class="soft"> in {{ step.policy }}</span>
        </li>
        <li
          v-for="step in part.answer"
          :key="`back ${step.device} ${step.stage} ${step.policy}`"
          class="soft"
        >
          the answer: {{ step.device }} {{ step.stage }} {{ ACTS[step.action] }} by {{ deciderOf(step)
          }}{{ step.policy ? ` in ${step.policy}` : '' }}
        </li>
        <li class="soft">
          {{ symptom(part) }}
          <button
            v-if="part.sample"
            class="link raw"
            title="Ask about this one flow"
            @click="emit('ask', aboutOne(part.sample.question, answer.question))"
          >
            {{ part.sample.text }}
          </button>
        </li>
      </ol>
    </article>
  </section>
</template>

<style scoped>
.sheet {
  position: absolute;
  z-index: 1900;
  top: 40px;
  left: 0;
  right: 0;
  max-height: calc(100vh - 120px);
  overflow-y: auto;
  padding: 14px 18px 6px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--depth-4);
  border-top: 0;
  box-shadow: 0 10px 26px rgb(0 0 0 / 22%);
}
header {
  margin-bottom: 6px;
}
.close {
  float: right;
  display: flex;
  gap: 16px;
  font-size: 13px;
}
.part {
  padding: 12px 0;
  border-top: 1px solid var(--hair);
}
.ends {
  display: grid;
  grid-template-columns: minmax(100px, 1fr) minmax(160px, 1.2fr) minmax(100px, 1fr);
  gap: 10px;
  align-items: center;
}
.when {
  text-align: center;
  font-size: 13px;
}
.from {
  text-align: right;
}
.end {
  overflow-wrap: anywhere;
}
.steps {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
  font-size: 13px;
  line-height: 1.55;
}
</style>
