<script setup lang="ts">
/** A histogram with its ends written under it; each bar tells its range and count. */
import type { Schemas } from '@/api/client'
import { count } from '@/shared'
import { computed } from 'vue'

const props = defineProps<{ distribution: Schemas['Distribution'] }>()
const most = computed(() => Math.max(1, ...props.distribution.bins.map((bin) => bin.count)))
const label = computed(
  () =>
    `Histogram of ${props.distribution.of} from ${props.distribution.bins[0]?.low} to ${props.distribution.bins.at(-1)?.high}`,
)
</script>

<template>
  <div>
    <div class="bars" role="img" :aria-label="label">
      <i
        v-for="bin in distribution.bins"
        :key="bin.low"
        :title="`${bin.low} to ${bin.high}: ${count(bin.count)}`"
        :style="{ height: `${bin.count ? Math.max(2, (100 * bin.count) / most) : 1}%` }"
      ></i>
    </div>
    <div class="ends mono soft">
      <span>{{ distribution.bins[0]?.low }}</span><span>{{ distribution.bins.at(-1)?.high }}</span>
    </div>
  </div>
</template>

<style scoped>
.bars {
  display: flex;
  gap: 1px;
  align-items: end;
  height: 64px;
  border-bottom: 1px solid var(--hair);
}
i {
  flex: 1;
  background: var(--bar);
}
i:hover {
  background: var(--press);
}
.ends {
  display: flex;
  justify-content: space-between;
}
</style>
