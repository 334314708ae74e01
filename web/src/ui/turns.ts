/** Whoever wants a turn waits until one of so many places is free. */
export class Turns {
  private waiting: (() => void)[] = [];
  private taken = 0;

  constructor(private readonly most: number) {}

  /** Begin now, or when a place is free (before all that wait, where `first`). Answers what gives the place back, or
   * gives up waiting for it. */
  take(begin: () => void, first = false): () => void {
    let state: 'waits' | 'has' | 'gone' = 'waits';
    const start = () => {
      state = 'has';
      this.taken += 1;
      begin();
    };
    if (first) this.waiting.unshift(start);
    else this.waiting.push(start);
    this.next();
    return () => {
      if (state === 'waits') this.waiting = this.waiting.filter((other) => other !== start);
      if (state === 'has') this.taken -= 1;
      state = 'gone';
      this.next();
    };
  }

  private next() {
    while (this.taken < this.most) {
      const start = this.waiting.shift();
      if (!start) return;
      start();
    }
  }
}
