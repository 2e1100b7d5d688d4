/** Wanted results of some records, and the ways to make them: what is asked, answered and chosen. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useUnsaved } from '@/app/unsaved'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { Rule } from './rulebook'

type Cell = string | null
type Candidate = Schemas['CandidateOut']
type Lookup = Schemas['LookupOut']
type Question = Schemas['QuestionOut']
type Row = Schemas['ResultRow']

/** A way to make the results: a formula, or a list or table of the library. */
export interface Way {
  key: string
  columns: string[]
  different: number
  untreated: number
  rows: Row[]
  candidate?: Candidate
  lookup?: Lookup
  /** values that a code list does not hold stay as they are */
  keeps: boolean
}

/** The rule that a way becomes, `into` being the column of a formula; what it leaves out is as in a new rule. */
export function ruleOf(way: Way, into: string): Record<string, unknown> & { kind: string } {
  const { lookup, candidate, keeps } = way
  if (!lookup) return { kind: 'compute', columns: [into], formula: candidate?.formula ?? '' }
  return lookup.code_list
    ? {
        kind: 'translate',
        columns: [lookup.column],
        code_list: lookup.code_list,
        others: keeps ? 'keep' : 'missing',
      }
    : {
        kind: 'look-up',
        reference: lookup.table,
        keys: [{ code: lookup.column, meaning: lookup.key }],
        take: [lookup.take],
      }
}

/**
 * The ways of an answer: where the results stand in the library, then formulas, the likeliest first. Values that a code list
 * does not hold stay, unless no value is wanted for one of them.
 */
export function waysOf(answer: Pick<Schemas['LearnOut'], 'lookups' | 'candidates'>, nothing: boolean): Way[] {
  const stays = (lookup: Lookup) => Boolean(lookup.code_list) && !nothing
  return [
    ...answer.lookups.map((lookup) => ({
      key: JSON.stringify([lookup.code_list, lookup.table, lookup.column, lookup.key, lookup.take]),
      columns: [lookup.column],
      different: lookup.different,
      untreated: lookup.untreated,
      rows: lookup.rows.map((row) =>
        stays(lookup) ? { ...row, result: row.result ?? row.values[0] ?? null } : row,
      ),
      lookup,
      keeps: stays(lookup),
    })),
    ...answer.candidates.map((candidate) => ({
      key: candidate.formula,
      columns: candidate.columns,
      different: candidate.different,
      untreated: candidate.untreated,
      rows: [...candidate.untreated_rows, ...candidate.rows],
      candidate,
      keeps: false,
    })),
  ]
}

export function useByExample(props: { delivery: number; rules: Rule[]; column?: string }) {
  const columns = ref<string[]>(props.column ? [props.column] : [])
  /** What is wanted of each record: a text, or null where nothing is wanted. */
  const wanted = ref<Record<number, Cell>>({})
  const chosen = ref('')
  const search = ref('')
  const pinned = ref<number[]>([])
  watch(columns, () => {
    wanted.value = {}
    pinned.value = []
    search.value = ''
  })
  const examples = computed(() =>
    Object.entries(wanted.value)
      .filter(([, result]) => result !== '')
      .map(([record, result]) => ({ record: Number(record), result })),
  )
  const asked = computed(() =>
    JSON.stringify([props.delivery, columns.value, examples.value, search.value, pinned.value]),
  )
  const settled = refDebounced(asked, 400)
  const { data, error, isFetching } = useQuery({
    queryKey: ['examples', settled, computed(() => props.rules)],
    queryFn: ({ signal }) =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/examples', {
          params: { path: { delivery_id: props.delivery } },
          body: {
            rules: props.rules as never[],
            below: '',
            columns: columns.value,
            wanted: examples.value,
            records: pinned.value,
            search: search.value,
          },
          signal,
        }),
      ),
    enabled: () => columns.value.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  })
  /** What is shown answers former examples until the new ones are asked about. */
  const stale = computed(() => isFetching.value || asked.value !== settled.value)
  const ways = computed(() =>
    examples.value.length && data.value
      ? waysOf(
          data.value,
          examples.value.some(({ result }) => result === null),
        )
      : [],
  )
  const way = computed(() => ways.value.find(({ key }) => key === chosen.value) ?? ways.value[0])
  const places = computed(() => columns.value.map((name) => data.value?.looked_at.indexOf(name) ?? -1))
  const records = computed(() =>
    (data.value?.records ?? [])
      .map(({ record, cells }) => ({ record, cells: places.value.map((at) => cells[at] ?? null) }))
      .sort((one, other) => (search.value ? 0 : one.record - other.record)),
  )
  const questions = computed(() =>
    way.value?.candidate && data.value ? data.value.questions.slice(0, 4) : [],
  )
  /** What the way at hand gives for a record. */
  function gives(record: { record: number; cells: Cell[] }): Cell | undefined {
    const texts = way.value?.columns.map((name) => record.cells[columns.value.indexOf(name)] ?? null)
    return way.value?.rows.find(
      (row) => JSON.stringify(row.values.slice(0, texts?.length)) === JSON.stringify(texts),
    )?.result
  }
  function want(record: number, result: Cell): void {
    chosen.value = ''
    wanted.value = { ...wanted.value, [record]: result }
  }
  /** A record becomes one that an example can be given for. */
  function pin(record: number): void {
    if (!pinned.value.includes(record)) pinned.value = [...pinned.value, record]
  }
  /** A doubt settled: the right result becomes an example of its own, and all ways are judged anew. */
  function settle(question: Question, result: Cell): void {
    pin(question.record)
    want(question.record, result)
  }
  useUnsaved({ what: () => 'The examples', dirty: () => examples.value.length > 0 })
  /** The examples have become a rule: they can be left. */
  const done = () => (wanted.value = {})
  return {
    columns, wanted, chosen, search, examples, data, error, stale, ways, way, records, questions,
    gives, want, pin, settle, done,
  } // prettier-ignore
}
