<script setup lang="ts">
/** Take a delivery in: choose or drop files, watch them arrive, then go to its intake. */
import { Problem, upload, type Schemas } from '@/api/client'
import { bytes, plural, StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { Modal } from 'ant-design-vue'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

const props = defineProps<{ feed: Schemas['FeedOut'] }>()
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const queries = useQueryClient()
const files = ref<File[]>([])
const over = ref(false)
const sent = ref<number>()
const error = ref<unknown>()
let stop: (() => void) | undefined
const size = computed(() => files.value.reduce((sum, file) => sum + file.size, 0))

function add(more: FileList | null | undefined): void {
  files.value = [...files.value, ...(more ?? [])]
}

async function send(): Promise<void> {
  error.value = undefined
  sent.value = 0
  const going = upload(`/api/feeds/${props.feed.slug}/deliveries`, files.value, (part) => (sent.value = part))
  stop = going.cancel
  try {
    const started = await going.done
    await queries.invalidateQueries({ queryKey: ['feeds'] })
    emit('close')
    await router.push({ name: 'intake', params: { id: started.id } })
  } catch (problem) {
    if (!(problem instanceof Problem && problem.title === 'Cancelled')) error.value = problem
  } finally {
    sent.value = undefined
  }
}

function close(): void {
  stop?.()
  emit('close')
}
</script>

<template>
  <Modal open :title="`Take a delivery of ${feed.name} in`" :footer="null" :width="480" @cancel="close">
    <form @submit.prevent="send">
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
          Delimited text (comma, tab, pipe, semicolon). The bytes are kept exactly as they are.
        </p>
      </div>
      <table v-if="files.length" class="lines">
        <tbody>
          <tr v-for="(file, i) in files" :key="i">
            <td class="mono">{{ file.name }}</td>
            <td class="num">{{ bytes(file.size) }}</td>
            <td class="num">
              <button type="button" class="link" @click="files.splice(i, 1)">Leave out</button>
            </td>
          </tr>
        </tbody>
      </table>
      <StateNote :error="error" />
      <p v-if="sent !== undefined" role="status" class="sending">
        <span class="track"><u :style="{ width: `${100 * sent}%` }"></u></span>
        {{ sent < 1 ? `${bytes(sent * size)} of ${bytes(size)}` : 'keeping the bytes' }}
        <button type="button" class="link" @click="stop?.()">Cancel</button>
      </p>
      <button v-else class="btn main" :disabled="!files.length">
        Take {{ files.length ? plural(files.length, 'file') : 'files' }} in
      </button>
    </form>
  </Modal>
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
