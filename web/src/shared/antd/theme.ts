/** The component library's theme, mirrored from tokens.css, light and dark. */
import { usePreferredDark } from '@vueuse/core'
import { theme } from 'ant-design-vue'
import { computed } from 'vue'

export function useTheme() {
  const dark = usePreferredDark()
  return computed(() => ({
    algorithm: dark.value ? theme.darkAlgorithm : theme.defaultAlgorithm,
    token: {
      colorPrimary: dark.value ? '#8db8ee' : '#1f4e8c',
      colorText: dark.value ? '#ebe8df' : '#1c2126',
      colorTextSecondary: dark.value ? '#aeb4b1' : '#555c62',
      colorTextPlaceholder: dark.value ? '#aeb4b1' : '#555c62',
      colorBgContainer: dark.value ? '#212425' : '#fdfcf8',
      colorBgElevated: dark.value ? '#2b2f30' : '#fdfcf8',
      colorBorder: dark.value ? '#3c4142' : '#b9b5a9',
      borderRadius: 2,
      borderRadiusLG: 2,
      borderRadiusSM: 1,
      fontSize: 13,
      controlHeight: 28,
      sizeUnit: 3,
      sizeStep: 3,
      wireframe: true,
      motionDurationMid: '0.1s',
      motionDurationSlow: '0.1s',
      fontFamily: "'Pravin Sans', system-ui, sans-serif",
    },
  }))
}
