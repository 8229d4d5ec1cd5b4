<script setup lang="ts">
/** Where one is signed in, and the end of what one has forgotten. */
import { useQuery } from '@tanstack/vue-query'
import { api, data } from '@/api/client'
import { useTold } from '@/places/people/told'
import ToldLine from '@/places/people/ToldLine.vue'
import { moment } from '@/ui/dates'

const { said, failure, act } = useTold()
const { data: sessions } = useQuery({
  queryKey: ['sessions'],
  queryFn: () => data(api.GET('/api/session/all')),
  staleTime: 0,
})
function end(handle: string): void {
  void act(
    () => data(api.DELETE('/api/session/all/{handle}', { params: { path: { handle } } })),
    'The session has ended.',
  )
}
</script>

<template>
  <ToldLine :said="said" :failure="failure" />
  <ul>
    <li v-for="open in sessions" :key="open.handle">
      <span>{{ open.own ? 'this one' : open.client || 'unknown browser' }}</span>
      <span class="soft small"
        >since {{ moment(open.created_at) }}, seen {{ open.seen_at ? moment(open.seen_at) : 'never' }}</span
      >
      <button v-if="!open.own" class="link small" @click="end(open.handle)">end</button>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
}
li {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding: 6px 0;
  border-bottom: 1px solid var(--hair);
}
li > span:first-child {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
