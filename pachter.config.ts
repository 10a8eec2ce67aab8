// The pachter command, called from here, works on the demo world.
export { default } from './examples/world/pachter.config.js'
