// One thing that a person asked for and that is under way: what it is, and the
// error it ended with.

export class Attempt {
  /** What is under way; empty where nothing is. */
  busy = $state('');
  error = $state<unknown>();

  /** Does something and keeps its error; gives whether it went well. */
  async run(what: string, does: () => Promise<unknown>): Promise<boolean> {
    this.busy = what;
    this.error = undefined;
    try {
      await does();
      return true;
    } catch (e) {
      this.error = e;
      return false;
    } finally {
      this.busy = '';
    }
  }
}
