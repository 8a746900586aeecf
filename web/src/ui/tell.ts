// A short notice that goes away by itself.
export const tell = (message: string) => import('./message').then((made) => made.message(message))
