<script setup lang="ts">
/** How many records were added, are gone or changed since a release; each count opens them. */
import { count, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { changesLink, changesQuery, KINDS, type Sides } from '../logic/changes'

const props = defineProps<{ slug: string; sides: Sides; run: number | null }>()
const slug = computed(() => props.slug)
const sides = computed(() => props.sides)
const { data, error, isLoading } = useQuery({
  ...changesQuery(slug, sides),
  queryKey: ['changes', slug, sides, computed(() => props.run)],
})
</script>

<template>
  <StateNote :loading="isLoading" />
  <p v-if="error" class="records soft">{{ error.message }}</p>
  <p v-if="data" class="records">
    Records by <span class="mono">{{ data.key.join(', ') }}</span>:
    <template v-for="kind in KINDS" :key="kind"
      ><RouterLink v-if="data[kind]" class="door" :to="changesLink(slug, sides, kind)"
        >{{ count(data[kind]) }} {{ kind }}</RouterLink
      ><span v-else>0 {{ kind }}</span
      >, </template
    >{{ count(data.same) }} the same.
  </p>
</template>

<style scoped>
.records {
  padding: 10px 0;
}
</style>
