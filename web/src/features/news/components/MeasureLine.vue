<script setup lang="ts">
/** A measure over the deliveries: its line, the band of its usual limits, what is outside; each delivery's value by pointing at it. */
import type { Schemas } from '@/api/client'
import { day } from '@/shared'
import { computed, ref } from 'vue'
import { drawn, inWords } from '../logic/measure'

const props = defineProps<{ measure: Schemas['MeasureOut'] }>()
const WIDTH = 300
const HEIGHT = 118
const shape = computed(() => drawn(props.measure.points, WIDTH, HEIGHT))
const words = (value: number) => inWords(props.measure.scale, props.measure.measure, value)
const pointed = ref<number>()
const point = computed(
  () => props.measure.points[pointed.value ?? props.measure.points.length - 1] ?? props.measure.points[0]!,
)
const limits = computed(() => {
  const { low, high } = point.value
  return low === null || high === null ? 'no limits yet' : `usually ${words(low)} to ${words(high)}`
})
const told = computed(() =>
  props.measure.points
    .map(
      (each) => `delivery ${each.number}: ${words(each.value)}${each.outside ? ', outside its limits' : ''}`,
    )
    .join('; '),
)
</script>

<template>
  <figure>
    <div class="plot">
      <span class="mark top mono">{{ words(shape.high) }}</span>
      <svg
        :viewBox="`-4 -2 ${WIDTH + 8} ${HEIGHT + 4}`"
        :width="WIDTH + 8"
        :height="HEIGHT + 4"
        role="img"
        :aria-label="told"
        @mouseleave="pointed = undefined"
      >
        <path v-if="shape.band" class="band" :d="shape.band" />
        <path class="line" :d="shape.line" />
        <g v-for="(dot, place) in shape.dots" :key="dot.point.number">
          <line v-if="dot.point.expected" class="level" :x1="dot.x" :x2="dot.x" y1="0" :y2="HEIGHT" />
          <circle
            :class="{ outside: dot.point.outside, on: dot.point === point }"
            :cx="dot.x"
            :cy="dot.y"
            :r="dot.point.outside || dot.point === point ? 3.2 : 1.6"
          />
          <rect
            :x="dot.x - WIDTH / shape.dots.length / 2"
            :width="WIDTH / shape.dots.length"
            y="0"
            :height="HEIGHT"
            fill="transparent"
            @mouseenter="pointed = place"
          />
        </g>
      </svg>
      <span class="mark bottom mono">{{ words(shape.low) }}</span>
    </div>
    <figcaption>
      delivery {{ point.number }}, {{ day(point.received) }}: <b class="mono">{{ words(point.value) }}</b>
      <span class="soft">{{ limits }}</span>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 8px 0 12px;
}
.plot {
  position: relative;
  border-bottom: 1px solid var(--hair);
  border-top: 1px solid var(--hair2);
  padding: 14px 0;
}
svg {
  display: block;
}
.mark {
  position: absolute;
  left: 0;
  color: var(--soft);
  font-size: 11px;
  line-height: 13px;
}
.top {
  top: 1px;
}
.bottom {
  bottom: 1px;
}
.band {
  fill: var(--hair2);
  stroke: var(--hair);
}
.line {
  fill: none;
  stroke: var(--bar);
  stroke-width: 1.2;
}
.level {
  stroke: var(--faint);
  stroke-dasharray: 2 3;
}
circle {
  fill: var(--bar);
}
circle.outside {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.8;
}
circle.on {
  fill: var(--ink);
}
figcaption {
  min-height: 38px;
  margin-top: 5px;
}
figcaption .soft {
  display: block;
}
</style>
