/** A question that must be answered before something goes on. */
import { Modal } from 'ant-design-vue'

export interface Question {
  title: string
  content: string
  yes: string
  no?: string
}

/** Ask; true when the answer is yes. The safe answer has the focus. */
export function ask({ title, content, yes, no = 'Cancel' }: Question): Promise<boolean> {
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
