<script setup lang="ts">
/** A division: its parts with their files, and what lies in several of them. */
import { api, unwrap } from '@/api/client'
import { count, plural, share, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useSafeTexts } from '../composables/safeTexts'
import type { Division } from '../logic/division'

const FORMS = { csv: 'CSV', tsv: 'TSV', jsonl: 'JSON Lines', parquet: 'Parquet' }
const SHOWN = 30
const props = defineProps<{ division: Division }>()
const safe = useSafeTexts()
const { data, error, isLoading } = useQuery({
  queryKey: ['division', computed(() => props.division.id)],
  queryFn: () =>
    unwrap(
      api.GET('/api/divisions/{division_id}/report', {
        params: { path: { division_id: props.division.id } },
      }),
    ),
})
const all = computed(() => data.value?.parts.reduce((sum, part) => sum + part.records, 0) ?? 0)
const file = (part: string, form: string) =>
  `/api/divisions/${props.division.id}/data?part=${part}&form=${form}&defused=${safe.value}`
const of = (records: number[]) => records.reduce((sum, n) => sum + n, 0)
</script>

<template>
  <StateNote :loading="isLoading" :error="error" />
  <template v-if="data">
    <table class="lines">
      <thead>
        <tr>
          <th>Part</th>
          <th class="num">Records</th>
          <th class="num">Share</th>
          <th class="num">Asked</th>
          <th>Files</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in data.parts" :key="part.name">
          <td class="mono">{{ part.name }}</td>
          <td class="num">{{ count(part.records) }}</td>
          <td class="num">{{ share(part.records, all) }}</td>
          <td class="num soft">{{ part.share }} %</td>
          <td>
            <a v-for="(label, form) in FORMS" :key="form" :href="file(part.name, form)" download>{{
              label
            }}</a>
          </td>
        </tr>
        <tr>
          <td class="soft">all, with a column for the part</td>
          <td class="num">{{ count(all + data.without) }}</td>
          <td class="num"></td>
          <td class="num"></td>
          <td>
            <a v-for="(label, form) in FORMS" :key="form" :href="file('', form)" download>{{ label }}</a>
          </td>
        </tr>
      </tbody>
    </table>
    <ul>
      <li v-if="data.without">
        {{ plural(data.without, 'record lacks', 'records lack') }}
        <b class="mono">{{ division.column }}</b> and {{ data.without === 1 ? 'lies' : 'lie' }} in no part.
      </li>
      <li v-for="each in data.watched" :key="each.name">
        <b class="mono">{{ each.name }}</b>: {{ each.values ? plural(each.values, 'value') : 'no value' }}
        {{ each.values === 1 ? 'lies' : each.values ? 'lie' : 'lies' }} in several parts<template
          v-if="each.values"
          >, with {{ plural(each.records, 'record') }}</template
        >.
        <span v-if="each.ranges.length" class="soft"
          ><template v-for="(range, at) in each.ranges" :key="at"
            >{{ data.parts[at]?.name }} {{ range[0] ?? 'nothing' }} to {{ range[1] ?? 'nothing' }};
          </template></span
        >
      </li>
      <li>
        {{ data.alike ? plural(data.alike, 'record') : 'No record' }} of the other parts
        {{ data.alike > 1 ? 'are' : 'is' }} nearly like one of {{ data.parts[0]?.name }}
        <span class="soft"
          >(all columns but the key, letter case, outer spaces and the fourth digit aside)</span
        >.
      </li>
      <li v-for="(reason, name) in division.left_out" :key="name">
        <b class="mono">{{ name }}</b> stays out{{ reason ? `: ${reason}` : '' }}.
      </li>
    </ul>
    <table v-if="data.strata.length" class="lines">
      <thead>
        <tr>
          <th>{{ division.stratum }}</th>
          <th class="num">Records</th>
          <th v-for="part in data.parts" :key="part.name" class="num">{{ part.name }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="stratum in data.strata.slice(0, SHOWN)" :key="stratum.value ?? 'missing'">
          <td :class="stratum.value === null ? 'soft' : 'mono'">{{ stratum.value ?? 'missing' }}</td>
          <td class="num">{{ count(of(stratum.records)) }}</td>
          <td v-for="(records, at) in stratum.records" :key="at" class="num">
            {{ share(records, of(stratum.records)) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="data.strata.length > SHOWN" class="soft">
      and {{ count(data.strata.length - SHOWN) }} further values of {{ division.stratum }}
    </p>
  </template>
</template>

<style scoped>
td a {
  margin-right: 12px;
}
ul {
  margin: 10px 0 14px;
  padding-left: 16px;
}
li {
  padding: 2px 0;
}
</style>
