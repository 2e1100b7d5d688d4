/** The dialog of a question, loaded when the first one is asked. */
import { Modal } from 'ant-design-vue'
import type { Question } from '../question'

/** Ask; true when the answer is yes. The safe answer has the focus. */
export function confirm({ title, content, yes, no = 'Cancel' }: Question): Promise<boolean> {
  return new Promise((resolve) => {
    Modal.confirm({
      title,
      content,
      icon: null,
      class: 'question',
      okText: yes,
      cancelText: no,
      autoFocusButton: 'cancel',
      onOk: () => resolve(true),
      onCancel: () => resolve(false),
    })
  })
}
