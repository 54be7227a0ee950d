import { createSharedComposable, useDark } from '@vueuse/core'

/** Whether pages are drawn dark: as the system wishes, until somebody chooses. One for all pages, before and after signing in. */
export const useDarkPages = createSharedComposable(() =>
  useDark({ attribute: 'data-bs-theme', valueDark: 'dark', valueLight: 'light', disableTransition: false }),
)
