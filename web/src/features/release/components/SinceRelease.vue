<script setup lang="ts">
/** What people changed since the last release: rules, and decisions on records with their justification. */
import { api, unwrap } from '@/api/client'
import { minute, plural, SentenceText, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { DECIDED } from '../logic/proposal'

const props = defineProps<{ delivery: number; run: number; against: number | null }>()
const { data, error, isLoading } = useQuery({
  queryKey: ['since release', computed(() => props.delivery), computed(() => props.run)],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/release/since', {
        params: { path: { delivery_id: props.delivery } },
      }),
    ),
})
</script>

<template>
  <StateNote :loading="isLoading" :error="error" />
  <template v-if="data">
    <template v-if="data.rules">
      <h2>Rules since release {{ against }}</h2>
      <p v-if="!data.rules.length" class="soft">The rules are the same.</p>
      <ol v-else>
        <li v-for="rule in data.rules" :key="rule.id">
          <span class="soft">{{ rule.what }}</span>
          <span
            ><span v-if="rule.before && rule.what !== 'moved'" :class="{ former: rule.after }"
              ><SentenceText :parts="rule.before" /></span
            ><span v-if="rule.after"><SentenceText :parts="rule.after" /></span
          ></span>
        </li>
      </ol>
    </template>
    <h2>Decisions on records</h2>
    <p v-if="!data.decisions.length" class="soft">Nobody decided on a record.</p>
    <ol v-else>
      <li v-for="each in data.decisions" :key="each.id">
        <span class="soft">{{ each.who }}<br />{{ minute(each.at) }}</span>
        <span
          >{{ plural(each.records, 'record') }} {{ DECIDED[each.kind] ?? each.kind
          }}<template v-if="each.until"> until {{ each.until }}</template
          ><span v-if="each.justification">{{ each.justification }}</span></span
        >
      </li>
    </ol>
  </template>
</template>

<style scoped>
h2 {
  padding: 16px 0 6px;
  font-size: 14px;
  font-weight: 650;
}
ol {
  max-width: 760px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 120px 1fr;
  gap: 10px;
  border-top: 1px solid var(--hair2);
  padding: 6px 0;
}
li > span > span {
  display: block;
}
.former {
  color: var(--soft);
  text-decoration: line-through;
}
</style>
