/// <reference types="vite-plugin-pwa/vue" />
declare module '*.vue' {
  import type { DefineComponent } from 'vue'
  const component: DefineComponent<object, object, unknown>
  export default component
}
declare module '*.md' {
  const page: { title: string; text: string; labels: string[]; html: string }
  export default page
}
declare module '@fontsource-variable/*'

/** Of which build the page is: what another build kept is not read. */
declare const __BUILD__: string
