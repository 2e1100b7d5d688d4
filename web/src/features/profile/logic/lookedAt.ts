/** The table that the views of the profile look at, given from the page to all of them: undefined as delivered. */
import { inject, provide, ref, type InjectionKey, type Ref } from 'vue'

const TABLE: InjectionKey<Ref<number | undefined>> = Symbol('the table looked at')

export const provideTable = (table: Ref<number | undefined>): void => provide(TABLE, table)
export const useTable = (): Ref<number | undefined> => inject(TABLE, () => ref<number>(), true)
