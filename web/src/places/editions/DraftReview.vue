<script setup lang="ts">
/** The second pair of eyes: what the draft would do, who stands for that, who contributed, what is said about it. */
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useComparison } from '@/api/editions'
import { useReleaseActs, useReview } from '@/api/releases'
import { moment } from '@/ui/dates'
import { needed } from '@/places/editions/releases'
import { counted } from '@/words'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import { useSession } from '@/api/session'
import { useNoteAt } from '@/editing/unsaved'
import ComparedEffect from '@/places/editions/ComparedEffect.vue'
import RemarkList from '@/editing/RemarkList.vue'

defineProps<{ inForce: number | null }>()
const { id: network, revision } = useFrame()
const route = useRoute()
const router = useRouter()
const session = useSession()
const { data: review } = useReview(network, revision)
const acts = useReleaseActs(network)
const { busy, problem, act } = useAct()
const { data: told, isFetching } = useComparison(
  network,
  revision,
  ref('in force'),
  ref('draft'),
  ref(''),
  computed(() => true),
)
const STANDING = {
  'as signed': 'stands: the draft is as it was signed',
  'same effect': 'stands: edited since, same effect, proven',
  lapsed: 'lapsed: the draft does something else now',
  'own edits': 'does not count: has edits of their own in the draft',
  'password given': 'does not count: an administrator knows this password; it has to be changed first',
}
const remark = useNoteAt(`signature ${network.value}`)
function sign() {
  return act(async () => {
    await acts.sign.mutateAsync({ revision: review.value!.revision, remark: remark.value })
    remark.value = ''
  })
}
const writable = computed(() => session.writes)
function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}
</script>

<template>
  <section v-if="review" class="review">
    <div class="effect" aria-label="What the draft would do">
      <p v-if="inForce === null" class="soft">
        Nothing is in force yet, so there is nothing to compare with.
      </p>
      <ComparedEffect v-else-if="told" :told="told" :stale="isFetching" edits @ask="ask" />
    </div>
    <aside>
      <h2>Who stands for it</h2>
      <p class="soft small">
        {{ needed(review.needed) }}; a signature is for what the draft does, not for its words
      </p>
      <ol aria-label="Signatures">
        <li v-for="s in review.signatures" :key="s.id" :class="s.standing.replace(' ', '-')">
          <strong>{{ s.person }}</strong> <span class="soft small">{{ moment(s.at) }}</span>
          <button v-if="s.own" class="link small" @click="act(() => acts.withdraw.mutateAsync(s.id))">
            take back
          </button>
          <p>{{ STANDING[s.standing] }}</p>
          <p v-if="s.remark" class="soft">{{ s.remark }}</p>
          <details v-if="s.lapsed">
            <summary class="small">what changed since</summary>
            <ComparedEffect :told="s.lapsed" :stale="false" :few="6" @ask="ask" />
          </details>
        </li>
        <li v-if="!review.signatures.length" class="soft">Nobody yet.</li>
      </ol>
      <form v-if="!review.may_not" class="stacked" @submit.prevent="sign">
        <textarea
          v-model="remark"
          class="plain-field"
          rows="2"
          aria-label="Remark"
          placeholder="remark, if any"
        />
        <v-btn type="submit" color="primary" :loading="busy">I stand for what it does</v-btn>
      </form>
      <p v-else class="soft small">{{ review.may_not }}</p>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>

      <h2>Whose edits it holds</h2>
      <ul aria-label="Contributors">
        <li v-for="c in review.contributors" :key="c.person">
          {{ c.person }}
          <span class="soft small">{{ counted(c.edits, 'edit') }}, the last {{ moment(c.last) }}</span>
        </li>
        <li v-if="!review.contributors.length" class="soft">No edits since what is in force.</li>
      </ul>

      <h2>What is said about it</h2>
      <RemarkList :network="network" :rule="null" :writable="writable" />
    </aside>
  </section>
</template>

<style scoped>
.review {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 28px;
}
aside h2 {
  margin: 18px 0 4px;
}
aside h2:first-child {
  margin-top: 0;
}
ol,
ul {
  list-style: none;
  padding: 0;
}
li button {
  margin-left: 8px;
}
li > button:first-child,
p + button {
  margin-left: 0;
}
li {
  padding: 5px 0 5px 10px;
  border-left: 3px solid var(--hair);
  margin-bottom: 4px;
  overflow-wrap: anywhere;
}
.as-signed,
.same-effect {
  border-left-color: var(--depth-5);
}
.lapsed,
.own-edits {
  border-left-style: dashed;
  border-left-color: var(--drop);
}
p {
  margin: 0;
}
</style>
