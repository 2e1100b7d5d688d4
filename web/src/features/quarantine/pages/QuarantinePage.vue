<script setup lang="ts">
/** Quarantine: reasons on the left, the cases behind them in the middle, on the right what to do with one or many. */
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { count, further, plural, StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, useTemplateRef } from 'vue'
import { useRouter } from 'vue-router'
import AnswerFile from '../components/AnswerFile.vue'
import CaseSheet from '../components/CaseSheet.vue'
import CaseTable from '../components/CaseTable.vue'
import CaseTools from '../components/CaseTools.vue'
import DecisionList from '../components/DecisionList.vue'
import KeyLine from '../components/KeyLine.vue'
import ReasonList from '../components/ReasonList.vue'
import TrialReasons from '../components/TrialReasons.vue'
import { endedIn } from '../logic/chosen'
import { useDeciding } from '../logic/deciding'
import { SIZE, useMarked, useQuarantined } from '../logic/quarantined'

const router = useRouter()
const queries = useQueryClient()
const { ask } = useAddress()
const { mayWork } = usePerson()
const { id, delivery, refresh } = useDelivery()
const { overview, all, chosen, parameters, offset, counts, page, rows, total, one, life } = useQuarantined(id)
const { marked, isAllFit, mark, markAll, unmark } = useMarked(rows, parameters)
/** How many decisions were taken here: the form of a record begins anew after each, nothing typed is left to lose. */
const taken = ref(0)
async function decided(): Promise<void> {
  taken.value += 1
  unmark()
  await Promise.all([refresh(), queries.invalidateQueries({ queryKey: ['quarantined', id.value] })])
}
const { amend, undo, send, apply, busy: isDeciding } = useDeciding(id, () => all.value?.run, decided)
const busy = computed(() => isDeciding.value || Boolean(delivery.value?.job))
const isReturned = computed(() =>
  (all.value?.decisions ?? []).some((act) => act.kind === 'return' && act.holds),
)
const endings = computed(() => endedIn(all.value?.ended))
const released = computed(() => delivery.value?.release === 'published')

const sheet = useTemplateRef('sheet')
function choose(record: number | undefined): void {
  if (record !== undefined) ask({ record: String(record) })
}
const step = (by: number) => choose(further(rows.value, one.value, by)?.record)
function open(): void {
  if (one.value)
    void router.push({ name: 'record', params: { id: String(id.value), record: String(one.value.record) } })
}
useKeys({
  j: () => step(1),
  k: () => step(-1),
  x: () => one.value && mark(one.value.record),
  a: () => mayWork.value && total.value && (isAllFit.value = !isAllFit.value),
  o: open,
  d: () => sheet.value?.toAct(),
  Enter: () => sheet.value?.toValues(),
})
</script>

<template>
  <TrialReasons v-if="all?.trial" class="wait" :trial="all.trial" />
  <StateNote
    v-else-if="all && !all.run"
    class="wait"
    empty="Nothing is quarantined, because the rulebook has not been run over this delivery. Write checks in Rules, then press Run."
  />
  <StateNote
    v-else-if="!all"
    class="wait"
    :loading="overview.isLoading.value"
    :error="overview.error.value"
  />
  <template v-else>
    <ReasonList v-if="counts.data.value" :counts="counts.data.value" :files="all.files" :all="all.waiting" />
    <section class="quarantined" aria-label="Quarantined records">
      <KeyLine
        v-if="delivery"
        :slug="delivery.feed.slug"
        :feed-key="all.key"
        :columns="all.columns"
        :may-work="mayWork"
      />
      <CaseTools
        v-model:is-all-fit="isAllFit"
        :delivery="id"
        :all="all"
        :standing="chosen.standing"
        :total="total"
        :parameters="parameters"
        :may-decide="mayWork"
        :may-download="!delivery?.masked?.length"
      />
      <p v-if="all.not_applied" class="pending" role="status">
        {{ plural(all.not_applied, 'decision') }} not applied yet.
        <button v-if="mayWork" type="button" class="link" :disabled="busy" @click="apply.mutate()">
          Apply now
        </button>
      </p>
      <p v-if="endings.length" class="soft">Decided or settled before: {{ endings.join(', ') }}.</p>
      <p v-if="released" class="soft">
        This delivery is released. What is decided now goes into a follow-up release.
      </p>
      <AnswerFile
        v-if="mayWork && isReturned"
        :delivery="id"
        :busy="busy"
        :arrived="all.answers"
        @applied="decided"
      />
      <StateNote :error="page.error.value ?? undo.error.value ?? send.error.value ?? apply.error.value" />
      <StateNote
        v-if="!rows.length && page.data.value && !page.error.value"
        empty="No record is quarantined for this. Everything is decided, or nothing broke a check."
      />
      <CaseTable
        v-if="rows.length && page.data.value"
        :page="page.data.value"
        :chosen="one?.record"
        :marked="marked"
        :may-decide="mayWork"
        @choose="(row) => choose(row.record)"
        @mark="mark"
        @mark-all="markAll"
      />
      <p v-if="total > SIZE" class="tools">
        {{ count(offset + 1) }} to {{ count(Math.min(offset + SIZE, total)) }} of {{ count(total) }}
        <button v-if="offset" type="button" class="link" @click="offset -= SIZE">Earlier</button>
        <button v-if="offset + SIZE < total" type="button" class="link" @click="offset += SIZE">Later</button>
      </p>
      <template v-if="all.decisions.length">
        <h3>Decisions</h3>
        <DecisionList
          :decisions="all.decisions"
          :delivery="id"
          :files="all.files"
          :may-decide="mayWork"
          :busy="busy"
          @undo="(decision) => undo.mutate(decision)"
          @send="(decision) => send.mutate(decision)"
        />
      </template>
    </section>
    <CaseSheet
      v-if="one"
      ref="sheet"
      :delivery="id"
      :all="all"
      :one="one"
      :marked="marked"
      :fit="isAllFit ? { chosen, count: total } : undefined"
      :life="life.data.value"
      :is-loading="life.isLoading.value"
      :error="life.error.value ?? amend.error.value"
      :form="`${one.record} ${page.data.value?.run} ${taken}`"
      :may-decide="mayWork"
      :busy="busy"
      @amend="(asked) => amend.mutate(asked)"
      @decided="decided"
    />
  </template>
</template>

<style scoped>
.wait {
  padding: 20px;
}
.quarantined {
  flex: 1;
  min-width: 0;
  padding: 0 16px 16px;
  overflow: auto;
}
.pending {
  border-left: 3px solid var(--ink);
  margin: 4px 0;
  padding: 4px 10px;
  background: var(--wash);
}
h3 {
  padding: 16px 0 4px;
  font-size: 13px;
  font-weight: 650;
}
</style>
