<script setup lang="ts">
/** The head of a page about a feed's releases: the feed, which leads back, what the page is about, and what is said beside it. */
import { api, unwrap } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

const props = defineProps<{ slug: string; about: string; back?: 'feed' | 'released' }>()
const { data } = useQuery({
  queryKey: ['feeds', computed(() => props.slug)],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}', { params: { path: { slug: props.slug } } })),
})
</script>

<template>
  <header>
    <h1>
      <RouterLink :to="{ name: back ?? 'released', params: { slug } }">{{ data?.name ?? slug }}</RouterLink>
      <span class="soft">{{ ` ${about}` }}</span>
    </h1>
    <slot />
  </header>
</template>

<style scoped>
h1 a {
  color: inherit;
}
h1 .soft {
  font-weight: 400;
}
</style>
