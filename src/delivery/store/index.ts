export { Follower } from './follower.ts'
export type { StoredFile, StoredPage } from './format.ts'
export { StorePlaces } from './places.ts'
export { DeliveryStore, type HostEntry, type Reads, type StoreView } from './store.ts'
