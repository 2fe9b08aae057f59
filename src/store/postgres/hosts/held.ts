/** The name of the view that marks the tables, as all connections to one database are held to it, on whichever host. */
export interface Held {
  readonly name: string | undefined;
  /** Calls back now, if there is one, and whenever it changes. */
  follow(hold: (name: string | undefined) => void): void;
  set(name: string | undefined): void;
}

export function makeHeld(): Held {
  let name: string | undefined;
  const followers: ((name: string | undefined) => void)[] = [];
  return {
    get name() {
      return name;
    },
    follow(hold) {
      followers.push(hold);
      if (name !== undefined) hold(name);
    },
    set(next) {
      name = next;
      for (const hold of followers) hold(next);
    },
  };
}
