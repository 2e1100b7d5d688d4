export { markOf, useFreshWithWork, useWork, useWorkKnown } from './logic/work'
