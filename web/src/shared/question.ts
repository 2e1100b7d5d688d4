/** A question that must be answered before something goes on. */
export interface Question {
  title: string
  content: string
  yes: string
  no?: string
}

/** Ask; true when the answer is yes. The safe answer has the focus. */
export async function ask(question: Question): Promise<boolean> {
  const { confirm } = await import('./antd/question')
  return confirm(question)
}
