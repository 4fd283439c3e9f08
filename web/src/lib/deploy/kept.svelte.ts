// A wish that survives a reload of the page: it is kept by this tab until it was drafted.
import { nothing, type Wish } from './wish';

const place = (server: string) => `wish ${server}`;

export class KeptWish {
  now = $state<Wish>(nothing());
  #server = '';

  /** Takes up what was chosen for a server, or what is to be changed. */
  open(server: string, change?: Wish): void {
    this.#server = server;
    this.now = change ?? read(server);
  }

  /** Has to be called whenever it was changed. */
  keep(): void {
    if (this.now.instead === undefined) sessionStorage.setItem(place(this.#server), JSON.stringify(this.now));
  }

  done(): void {
    sessionStorage.removeItem(place(this.#server));
    this.now = nothing();
  }
}

function read(server: string): Wish {
  try {
    return { ...nothing(), ...(JSON.parse(sessionStorage.getItem(place(server)) ?? '{}') as Partial<Wish>) };
  } catch {
    return nothing();
  }
}
