import { useMediaQuery } from '@vueuse/core'

/** Whether the window is as wide as a desk's: else it is held in the hand, and laid out for a thumb. */
export const useDesk = () => useMediaQuery('(min-width: 80rem)')
