export { reach, type Reach, type SeenDelivery } from './reach.ts'
export {
  findCaution,
  isBindingByDefault,
  noChange,
  planChange,
  type Caution,
  type ProposedEntry,
  type RegisterChange,
} from './register-change.ts'
