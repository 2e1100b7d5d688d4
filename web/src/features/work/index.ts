export { markOf, useFreshWithWork, useWork } from './logic/work'
