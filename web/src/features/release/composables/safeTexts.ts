import { useLocalStorage } from '@vueuse/core'
import type { Ref } from 'vue'

/** Whether delimited downloads are made safe for spreadsheets: one choice, remembered on this computer. */
export function useSafeTexts(): Ref<boolean> {
  return useLocalStorage('pravin.safe-texts', true)
}
