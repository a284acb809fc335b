import type { InjectionKey, Ref } from 'vue'

/** Whether the fields below are shut: a station that is closed, or just closing. */
export const shutKey: InjectionKey<Readonly<Ref<boolean>>> = Symbol('shut')
