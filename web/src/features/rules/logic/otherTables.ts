/** The tables that a rule may look into, where they are not those of the library. */
import type { InjectionKey, Ref } from 'vue'

export interface OtherTable {
  /** what the rule says */
  name: string
  /** what people read */
  label: string
  columns: string[]
}

export const OTHER_TABLES: InjectionKey<Readonly<Ref<OtherTable[]>>> = Symbol('other tables')
