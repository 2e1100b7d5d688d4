<script setup lang="ts">
/** Take a delivery in: choose or drop files, watch them arrive, then go to its intake. */
import { api, unwrap, Problem, sendFile, type Schemas } from '@/api/client'
import { bytes, DialogBox, plural, StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

const props = defineProps<{ feed: { slug: string; name: string } }>()
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const queries = useQueryClient()
const files = ref<File[]>([])
const over = ref(false)
const sent = ref<number>()
const error = ref<unknown>()
let stop = new AbortController()
const size = computed(() => files.value.reduce((sum, file) => sum + file.size, 0))
const before = computed(() => error.value instanceof Problem && error.value.title === 'Delivered before')

function add(more: FileList | null | undefined): void {
  const known = new Set(files.value.map((file) => `${file.name} ${file.size}`))
  files.value = [
    ...files.value,
    ...[...(more ?? [])].filter((file) => !known.has(`${file.name} ${file.size}`)),
  ]
  error.value = undefined
}

async function send(again = false): Promise<void> {
  error.value = undefined
  sent.value = 0
  stop = new AbortController()
  const slug = props.feed.slug
  try {
    const uploads: string[] = []
    let done = 0
    for (const file of files.value) {
      uploads.push(await sendFile(slug, file, (part) => (sent.value = done + part), stop.signal))
      done += file.size
    }
    const started = await unwrap(
      api.POST('/api/feeds/{slug}/deliveries/of-uploads', {
        params: { path: { slug } },
        body: { uploads, again },
      }),
    )
    await arrived(started)
  } catch (problem) {
    if (!stop.signal.aborted) error.value = problem
  } finally {
    sent.value = undefined
  }
}

async function arrived(started: Schemas['Started']): Promise<void> {
  await queries.invalidateQueries({ queryKey: ['feeds'] })
  emit('close')
  await router.push({ name: 'intake', params: { id: started.id } })
}

function close(): void {
  stop.abort()
  emit('close')
}
</script>

<template>
  <DialogBox :title="`Add a delivery to ${feed.name}`" :width="480" @close="close">
    <form @submit.prevent="send()">
      <div
        class="drop"
        :class="{ over }"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="((over = false), add($event.dataTransfer?.files))"
      >
        <label for="delivery-files">Drop files here, or choose them:</label>
        <input
          id="delivery-files"
          type="file"
          multiple
          @change="add(($event.target as HTMLInputElement).files)"
        />
        <p class="soft">
          Delimited and fixed-width text, workbooks (XLSX, XLS, ODS), JSON, Parquet, pages with tables; also
          packed with zip or gzip. A small file of control totals may come along. The bytes are kept exactly
          as they are.
        </p>
      </div>
      <table v-if="files.length" class="lines">
        <tbody>
          <tr v-for="(file, i) in files" :key="i">
            <td class="mono">{{ file.name }}</td>
            <td class="num">{{ bytes(file.size) }}</td>
            <td class="num">
              <button type="button" class="link" @click="files.splice(i, 1)">Remove</button>
            </td>
          </tr>
        </tbody>
      </table>
      <StateNote :error="error" />
      <button v-if="before" type="button" class="btn" @click="send(true)">Add anyway</button>
      <p v-if="sent !== undefined" role="status" class="sending">
        <span class="track"><u :style="{ width: `${(100 * sent) / Math.max(1, size)}%` }"></u></span>
        {{ sent < size ? `${bytes(sent)} of ${bytes(size)}` : 'storing the files' }}
        <button type="button" class="link" @click="stop.abort()">Stop</button>
      </p>
      <button v-else-if="!before" class="btn main" :disabled="!files.length">
        Add {{ files.length ? plural(files.length, 'file') : 'files' }}
      </button>
    </form>
  </DialogBox>
</template>

<style scoped>
.drop {
  display: grid;
  gap: 6px;
  margin-bottom: 12px;
  border: 1px dashed var(--faint);
  padding: 16px;
}
.drop.over {
  background: var(--wash);
}
.btn {
  margin-top: 14px;
}
.sending {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-top: 14px;
}
.track {
  width: 160px;
  height: 4px;
  background: var(--hair);
}
u {
  display: block;
  height: 4px;
  background: var(--ink);
}
</style>
