// What a tariff starts from: two prices in the person's own currency.
import { prefs } from '../../ui/prefs'

export const firstPrices = () => ({
  base: 0.3,
  ...(prefs.value.currency === 'EUR' ? {} : { currency: prefs.value.currency }),
  prices: [{ from: '23:00', to: '06:00', price: 0.15 }],
})
