<script setup lang="ts">
/** A line of code: completion of columns, functions and values, the signature at hand, errors where they are. */
import { autocompletion, completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { bracketMatching, HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { setDiagnostics } from '@codemirror/lint'
import { sql, SQLDialect } from '@codemirror/lang-sql'
import { Compartment, EditorState } from '@codemirror/state'
import { EditorView, keymap, placeholder } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { completing, type Offered } from './completion'

const model = defineModel<string>({ required: true })
const props = defineProps<{
  id: string
  offered: Offered
  error: { start: number; end: number; message: string } | null
  hint: string
  disabled: boolean
}>()
const host = ref<HTMLElement>()
let view: EditorView | undefined
const language = new Compartment()
const locked = new Compartment()
const dialect = () =>
  SQLDialect.define({
    keywords:
      'and or not in is null like ilike between case when then else end true false date timestamp as from for both leading trailing placing escape distinct symmetric interval',
    builtin: props.offered.functions.map(({ name }) => name.split(' ')[0]).join(' '),
    operatorChars: '=<>+-*/%!|',
    identifierQuotes: '"',
  })
const look = HighlightStyle.define([
  { tag: tags.keyword, fontWeight: '650' },
  { tag: tags.string, color: 'var(--soft)' },
  { tag: tags.number, color: 'var(--soft)' },
  { tag: tags.standard(tags.name), color: 'var(--press)' },
])
onMounted(() => {
  view = new EditorView({
    parent: host.value as HTMLElement,
    state: EditorState.create({
      doc: model.value,
      extensions: [
        history(),
        bracketMatching(),
        placeholder(props.hint),
        language.of(sql({ dialect: dialect() }).language),
        locked.of(EditorState.readOnly.of(props.disabled)),
        autocompletion({ override: [(context) => completing(context, props.offered)] }),
        syntaxHighlighting(look),
        keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
        EditorView.lineWrapping,
        EditorView.contentAttributes.of({ id: props.id, 'aria-label': 'Formula', spellcheck: 'false' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) model.value = update.state.doc.toString()
        }),
      ],
    }),
  })
})
watch(model, (now) => {
  if (view && now !== view.state.doc.toString())
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: now } })
})
watch(
  () => props.error,
  (error) => {
    if (!view) return
    const length = view.state.doc.length
    const from = Math.min(error?.start ?? 0, length)
    const to = Math.min(Math.max(error?.end ?? 0, from), length)
    const problems = error ? [{ from, to, severity: 'error' as const, message: error.message }] : []
    view.dispatch(setDiagnostics(view.state, problems))
  },
)
watch(
  () => props.offered.functions.length,
  () => view?.dispatch({ effects: language.reconfigure(sql({ dialect: dialect() }).language) }),
)
watch(
  () => props.disabled,
  (now) => view?.dispatch({ effects: locked.reconfigure(EditorState.readOnly.of(now)) }),
)
onBeforeUnmount(() => view?.destroy())
</script>

<template><div ref="host" class="code"></div></template>

<style scoped>
.code {
  border-bottom: 1px solid var(--faint);
}
.code:focus-within {
  border-bottom: 2px solid var(--press);
  margin-bottom: -1px;
}
.code :deep(.cm-editor.cm-focused) {
  outline: none;
}
.code :deep(.cm-scroller) {
  font: 12.5px/1.5 var(--mono);
}
.code :deep(.cm-content) {
  padding: 2px 0;
  caret-color: var(--ink);
}
.code :deep(.cm-line) {
  padding: 0 2px;
}
.code :deep(.cm-placeholder) {
  color: var(--soft);
  font-family: var(--sans);
}
.code :deep(.cm-lintRange-error) {
  background: none;
  text-decoration: wavy underline var(--ink);
  text-underline-offset: 3px;
}
.code :deep(.cm-tooltip) {
  border: 1px solid var(--hair);
  background: var(--sheet);
  color: var(--ink);
  box-shadow: 0 4px 14px var(--shade);
}
.code :deep(.cm-tooltip-autocomplete > ul) {
  max-height: 220px;
  font: 12.5px var(--mono);
}
.code :deep(.cm-tooltip-autocomplete > ul > li) {
  padding: 2px 8px;
  display: flex;
  align-items: baseline;
}
.code :deep(.cm-tooltip-autocomplete > ul > li[aria-selected]) {
  background: var(--wash);
  color: var(--ink);
}
.code :deep(.cm-completionIcon) {
  display: none;
}
.code :deep(.cm-completionDetail) {
  color: var(--soft);
  margin-left: auto;
  padding-left: 16px;
  font-style: normal;
}
.code :deep(.cm-completionInfo) {
  max-width: 260px;
  padding: 6px 9px;
  font: 12.5px var(--sans);
}
</style>
