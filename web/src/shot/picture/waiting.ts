/** What is on its way: the first picture is drawn when all has come that belongs to it, for what would be drawn before
 *  is never seen for long, and costs programs of its own. */
export class Waiting {
  private count = 0;
  private shown = false;

  /** `ask` asks for a picture. */
  constructor(readonly ask: () => void) {}

  /** Go on with something once it has come. */
  for<T>(promise: Promise<T>, then: (value: T) => void) {
    this.count++;
    promise
      .then(then)
      .catch(() => {}) // the page says by itself that the server does not answer
      .finally(() => {
        this.count--;
        if (!this.shown) this.ask();
      });
  }

  /** Ask for a picture when something has come, or has failed to. */
  drawAfter(promise: Promise<unknown>) {
    this.for(
      promise.catch(() => {}),
      this.ask,
    );
  }

  /** Whether a picture may be drawn. */
  mayShow(): boolean {
    this.shown ||= !this.count;
    return this.shown;
  }

  get begun(): boolean {
    return this.shown;
  }
}
