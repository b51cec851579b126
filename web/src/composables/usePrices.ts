import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'

/** Prices are written in one way everywhere: whole, in the currency of the lab's prices; a dash where there is none. */
export function usePrices() {
  const { data } = useQuery(queries.house())
  const currency = computed(() => data.value?.prices.currency ?? '')
  const price = (x: number | undefined) =>
    x ? `${Math.round(x).toLocaleString('en-GB')} ${currency.value}`.trim() : '–'
  return { currency, price }
}
