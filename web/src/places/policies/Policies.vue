<script setup lang="ts">
/** All policies: where is each consulted, how long and how healthy is it, and what happens otherwise? */
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import LineCode from '@/chart/LineCode.vue'
import { courseOfDefault } from '@/chart/courses'
import { attachment, counted, otherwise } from '@/words'
import { useFrame } from '@/frame/frame'

const { id: network, network: whole } = useFrame()
const route = useRoute()
const policies = computed(() => whole.value?.policies ?? [])
const sum = computed(() => policies.value.reduce((all, policy) => all + policy.rules, 0))
</script>

<template>
  <div class="policies">
    <header class="head">
      <h1>Rules</h1>
      <span v-if="whole" class="soft">{{ sum }} in {{ counted(policies.length, 'policy') }}</span>
    </header>
    <div class="list" role="list">
      <router-link
        v-for="policy in policies"
        :key="policy.id"
        class="plain row"
        role="listitem"
        :to="{ name: 'rules', params: { network, policy: policy.id }, query: { q: route.query.q } }"
      >
        <span class="called">
          <strong>{{ policy.name }}</strong>
          <span class="soft small">{{ policy.description }}</span>
        </span>
        <span class="where small">
          <span v-for="a in policy.attachments" :key="attachment(a)">{{ attachment(a) }}</span>
          <strong v-if="!policy.attachments.length" class="warning"
            >attached nowhere, so it does nothing</strong
          >
        </span>
        <span class="count">{{ counted(policy.rules, 'rule') }}</span>
        <span class="small" :class="policy.warnings ? 'warning' : 'soft'">{{
          policy.pending
            ? 'being worked out'
            : policy.warnings
              ? counted(policy.warnings, 'warning')
              : 'no warning'
        }}</span>
        <span class="otherwise small">
          <LineCode :course="courseOfDefault(policy.default)" small />
          otherwise {{ otherwise(policy) }}
        </span>
      </router-link>
      <p v-if="whole && !policies.length" class="soft none">
        No policy yet. A policy is an ordered list of rules; the first that matches a packet decides.
      </p>
    </div>
  </div>
</template>

<style scoped>
.policies {
  height: 100%;
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
}
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding: 13px 16px 11px;
  border-bottom: 1px solid var(--hair);
}
.list {
  overflow-y: auto;
}
.row {
  display: grid;
  grid-template-columns: minmax(150px, 1.2fr) minmax(150px, 1.5fr) 66px 92px 224px;
  gap: 14px;
  align-items: center;
  min-height: 44px;
  padding: 5px 16px;
  border-bottom: 1px solid var(--hair);
  outline-offset: -2px;
}
.row:hover {
  background: color-mix(in srgb, var(--depth-1) 45%, transparent);
}
.called,
.where {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.called > *,
.where > * {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.count {
  text-align: right;
}
.otherwise {
  display: flex;
  gap: 8px;
  align-items: center;
}
.otherwise > :first-child {
  flex: none;
  width: 64px;
}
.none {
  padding: 24px 16px;
}
</style>
