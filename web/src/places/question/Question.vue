<script setup lang="ts">
/** One question: its verdict, the course of one flow of it place by place, on the chart and in rows. */
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useGround } from '@/api/ground'
import { useAnswer, useObstacles } from '@/api/questions'
import LineCode from '@/chart/LineCode.vue'
import { COURSE_OF_RESULT, servicesOf } from '@/chart/courses'
import { useFrame } from '@/frame/frame'
import { usePins } from '@/frame/pins'
import AnswerBeside from '@/frame/AnswerBeside.vue'
import CourseStrip from '@/places/question/CourseStrip.vue'
import PlaceRow from '@/places/question/PlaceRow.vue'
import { asText, crossings, endOf, obstacleText, sameWay, thenText } from '@/places/question/course'
import { useSession } from '@/api/session'
import { aboutOne, counted, mustSentence } from '@/words'

const MOST_PARTS = 60
const MOST_WAYS = 3
const COPIED_MS = 2000

const { id: network, revision } = useFrame()
const route = useRoute()
const router = useRouter()
const pins = usePins()
const session = useSession()
const writable = computed(() => session.writes)
const question = computed(() => (typeof route.query.q === 'string' ? route.query.q.trim() : ''))
const { data: answered, error, isFetching } = useAnswer(network, question, revision)
const answer = computed(() => (question.value && !error.value ? answered.value : undefined))
const version = computed(() => {
  const of = answer.value?.of ?? 'draft'
  return of === 'draft' ? undefined : of.replace(', in force', '')
})
const { data: ground, isPlaceholderData } = useGround(network, revision, version)
/** No version is drawn on the ground of another. */
const drawn = computed(() => (isPlaceholderData.value && version.value ? undefined : ground.value))
const parts = computed(() => answer.value?.parts.slice(0, MOST_PARTS) ?? [])
const chosen = ref(0)
watch(
  () => [question.value, answer.value?.verdict, parts.value.length],
  () => (chosen.value = 0),
)
const part = computed(() => parts.value[chosen.value])
/** Of a draft's part that rules stop: which, for its sample, all of them there and back. */
const stopped = computed(() =>
  answer.value?.of === 'draft' && ['dropped', 'rejected', 'unanswered'].includes(part.value?.result ?? '')
    ? 0 // it is asked about its sample alone
    : null,
)
const flow = computed(() =>
  part.value?.sample ? aboutOne(part.value.sample.question, question.value) : question.value,
)
const { data: obstacles } = useObstacles(network, flow, stopped, revision)
const mends = computed(() =>
  stopped.value === null
    ? []
    : (obstacles.value?.places ?? []).map(({ place, back }) => obstacleText(place, back)),
)
const mended = computed(() => thenText(obstacles.value))
/** The ways of the same packets, side by side. */
const ways = computed(() => {
  const like = (a: string[], b: string[]) => a.join() === b.join()
  const mine = part.value!
  const others = parts.value.filter(
    (p) =>
      p.course.there.length &&
      like(p.sources, mine.sources) &&
      like(p.destinations, mine.destinations) &&
      like(p.services, mine.services),
  )
  const from = Math.max(0, others.indexOf(mine) - MOST_WAYS + 1)
  return others.slice(from, from + MOST_WAYS)
})
function open(thing: number): void {
  void router.push({ name: 'ground', params: { network: network.value, thing }, query: { q: route.query.q } })
}
/** What might be unplugged: the devices on the way. */
const devices = computed(() => [
  ...new Set(part.value ? crossings(part.value.course.there).map((c) => c.device) : []),
])
/** In which state, when, of which version, and what is supposed. */
const conditions = computed(() => {
  const { state, at, given, of } = answer.value!
  return [state, at ?? 'always', given, of === 'draft' ? '' : `as of ${of}`].filter(Boolean).join(' · ')
})
const VERDICTS = { allowed: 'allow', blocked: 'drop', some: 'some', undetermined: 'undecided', empty: '' }

function ask(q: string): void {
  void router.push({ query: { ...route.query, q } })
}
function without(device: string): void {
  ask(`${question.value} without ${/[\s"]/.test(device) ? `"${device}"` : device}`)
}
const plugged = computed(() => question.value.replace(/\s+without\s+("[^"]*"|\S+)/gi, ''))

/** The answer as something that must stay so: of what is asked about always, or at a moment, and answered in one word. */
const mustStay = computed(() => {
  const told = answer.value
  if (!told || !writable.value || told.open || told.given || told.state !== 'new' || told.of !== 'draft')
    return null
  if (told.verdict !== 'allowed' && told.verdict !== 'blocked') return null
  const at = /\sat\s+((?:[a-z]+\s+)?[\d:T.+-]+)/i.exec(question.value)?.[1] ?? ''
  return mustSentence(told.source, told.verdict === 'allowed', told.destination, [told.service], at)
})

const copied = ref(false)
async function copy(): Promise<void> {
  if (!answer.value || !part.value) return
  await navigator.clipboard.writeText(asText(question.value, answer.value.sentence, part.value))
  copied.value = true
  window.setTimeout(() => (copied.value = false), COPIED_MS)
}

/** The parts are one stop of the keyboard; the arrows go along them. */
function along(event: KeyboardEvent): void {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (!step) return
  event.preventDefault()
  chosen.value = Math.min(Math.max(chosen.value + step, 0), parts.value.length - 1)
  const list = event.currentTarget as HTMLElement
  requestAnimationFrame(() => list.querySelector<HTMLElement>('[aria-checked="true"]')?.focus())
}
</script>

<template>
  <div class="question">
    <template v-if="!question">
      <h1>One question</h1>
      <p class="soft">
        Ask in the line above (<kbd>/</kbd>): who sends, to whom, on which service. The course is drawn here,
        place by place.
      </p>
      <ul v-if="pins.questions.length" class="kept">
        <li v-for="q in pins.questions" :key="q">
          <button class="link" @click="ask(q)">{{ q }}</button>
        </li>
      </ul>
    </template>
    <template v-else>
      <header class="head">
        <h1 v-if="answer">
          {{ answer.source }} to {{ answer.destination }}
          <span class="on">on {{ answer.service }}</span>
        </h1>
        <h1 v-else>{{ question }}</h1>
        <span v-if="answer" class="soft small">{{ conditions }}</span>
        <span v-if="answer" class="acts">
          <button
            class="link"
            :aria-pressed="pins.questions.includes(question)"
            @click="pins.toggle(question)"
          >
            {{ pins.questions.includes(question) ? 'unpin' : 'pin' }}
          </button>
          <button v-for="d in devices" :key="d" class="link" @click="without(d)">without {{ d }}</button>
          <button v-if="plugged !== question" class="link" @click="ask(plugged)">with all plugged in</button>
          <router-link
            v-if="mustStay"
            class="link"
            :to="{ name: 'holds', params: { network }, query: { write: mustStay } }"
            >this must stay so</router-link
          >
          <button v-if="part" class="link" @click="copy">{{ copied ? 'copied' : 'copy as text' }}</button>
        </span>
      </header>
      <p v-if="error" class="problem" role="alert">{{ error.message }}</p>
      <template v-else-if="answer">
        <p class="verdict" :class="[VERDICTS[answer.verdict], { stale: isFetching }]" role="status">
          {{ answer.sentence }}<span v-if="answer.note" class="soft"> · {{ answer.note }}</span>
        </p>
        <AnswerBeside :answer="answer" />
        <div
          v-if="parts.length > 1"
          class="parts"
          role="radiogroup"
          aria-label="What of it fares alike, and the ways"
          @keydown="along"
        >
          <button
            v-for="(p, index) in parts"
            :key="index"
            class="plain part"
            role="radio"
            :aria-checked="index === chosen"
            :tabindex="index === chosen ? 0 : -1"
            @click="chosen = index"
          >
            <LineCode :course="COURSE_OF_RESULT[p.result]" small class="glyph" />
            <span class="who">{{ p.sources.join(', ') }} → {{ p.destinations.join(', ') }}</span>
            <span class="raw">{{ servicesOf(p) }}</span>
            <span class="soft">{{ p.when || p.missing || '' }}</span>
          </button>
          <p v-if="answer.parts.length > MOST_PARTS" class="soft small">
            and {{ counted(answer.parts.length - MOST_PARTS, 'more part') }}; ask about less to see them
          </p>
        </div>
        <template v-if="part">
          <div v-if="drawn && part.course.there.length" class="charts">
            <CourseStrip
              v-for="(way, index) in ways"
              :key="index"
              :class="{ other: way !== part }"
              :ground="drawn"
              :part="way"
              @choose="open"
              @pointerdown="chosen = parts.indexOf(way)"
            />
            <template v-if="part.course.back.length && !sameWay(part)">
              <p class="soft small other-way">the answer takes another way, from right to left</p>
              <CourseStrip :ground="drawn" :part="part" way="back" @choose="open" />
            </template>
          </div>
          <table v-if="part.course.there.length" class="places">
            <caption class="soft small">
              for example
              {{
                part.course.source
              }}
              to
              {{
                part.course.destination
              }}
              <span class="raw">{{ part.course.service }}</span>
              <button v-if="part.sample && answer.parts.length > 1" class="link one" @click="ask(flow)">
                ask about this one
              </button>
            </caption>
            <thead>
              <tr>
                <th scope="col"><span class="hidden">number</span></th>
                <th scope="col">where</th>
                <th scope="col">place</th>
                <th scope="col">what decides</th>
                <th scope="col">from</th>
                <th scope="col">to, as seen there</th>
                <th scope="col">service</th>
              </tr>
            </thead>
            <tbody>
              <PlaceRow
                v-for="(place, index) in part.course.there"
                :key="index"
                :place="place"
                :number="index + 1"
              />
            </tbody>
            <tbody v-if="part.course.back.length">
              <tr>
                <th colspan="7" scope="rowgroup" class="turn">the way back</th>
              </tr>
              <PlaceRow v-for="(place, index) in part.course.back" :key="index" :place="place" />
            </tbody>
          </table>
          <p class="end" :class="COURSE_OF_RESULT[part.result]">{{ endOf(part) }}</p>
          <section v-if="mends.length" class="mends small" aria-label="What would have to decide otherwise">
            <h2>To let it pass, in order</h2>
            <ol>
              <li v-for="(mend, index) in mends" :key="index">{{ mend }}</li>
            </ol>
            <p class="soft">{{ mended }}</p>
          </section>
        </template>
      </template>
    </template>
  </div>
</template>

<style scoped>
.mends h2 {
  font-size: 13px;
  margin: 10px 0 2px;
}
.mends ol {
  margin: 0;
  padding-left: 22px;
}
.mends p {
  margin: 4px 0 0;
}
.question {
  height: 100%;
  overflow-y: auto;
  padding: 13px 16px 24px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 16px;
}
h1 {
  overflow-wrap: anywhere;
}
.on {
  font-weight: 400;
}
.acts {
  margin-left: auto;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  font-size: 13.5px;
}
.verdict {
  margin: 8px 0 10px;
}
.verdict.stale {
  opacity: 0.55;
}
.verdict.drop {
  color: var(--drop);
}
.verdict.allow {
  color: var(--allow);
}
.verdict.undecided {
  color: var(--undecided);
}
.kept {
  margin-top: 12px;
  padding: 0;
  list-style: none;
  line-height: 1.9;
}
.parts {
  max-height: 148px;
  margin-bottom: 8px;
  overflow-y: auto;
  border-top: 1px solid var(--hair);
  border-bottom: 1px solid var(--hair);
}
.part {
  display: grid;
  grid-template-columns: 46px minmax(0, 2.2fr) minmax(0, 1.4fr) minmax(0, 1.4fr);
  gap: 14px;
  align-items: center;
  width: 100%;
  padding: 3px 8px;
  text-align: left;
  font-size: 13px;
}
.part > * {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.part[aria-checked='true'] {
  background: var(--selected);
}
.charts {
  margin: 0 -16px 10px;
}
.charts > :deep(.strip) {
  border-top: 1px solid var(--hair);
}
.charts > :deep(.strip.other) {
  opacity: 0.45;
}
.other-way {
  padding: 6px 16px;
}
.places {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
caption {
  padding-bottom: 4px;
  text-align: left;
}
.one {
  margin-left: 14px;
}
th {
  padding: 4px 10px 4px 0;
  text-align: left;
  font-weight: 400;
  font-size: 12px;
  color: var(--soft);
}
.turn {
  padding-top: 12px;
}
.hidden {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
.end {
  margin-top: 10px;
}
.end.drop,
.end.unanswered {
  color: var(--drop);
}
.end.reject {
  color: var(--reject);
}
.end.undecided {
  color: var(--undecided);
}
</style>
