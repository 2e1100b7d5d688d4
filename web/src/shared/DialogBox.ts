/** The dialog of `antd/`, loaded when the first one opens. */
import { defineAsyncComponent } from 'vue'

export default defineAsyncComponent(() => import('./antd/DialogBox.vue'))
