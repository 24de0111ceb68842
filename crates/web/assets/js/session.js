// What this page does to a shot: one write after the other, each against the newest revision that it knows. Knows
// nothing of how anything is shown.

export class Session {
  // `call` asks the server; `mayEdit` says whether it is worth while; `refresh` reads the shot again after a write; `failed` is told why one was refused, and
  // `changed` that the number of writes under way has.
  constructor(path, { call, mayEdit = true, refresh, failed, changed }) {
    Object.assign(this, { path, call, mayEdit, refresh, failed, changed });
    this.revision = 0;
    this.saving = 0;
    this.pending = Promise.resolve();
  }

  // Does it when those before it are done; what the server answered, or nothing when it refused.
  write(work, failed = this.failed) {
    if (!this.mayEdit) {
      failed("You may look at this shot, not change it. An owner of the project can make you an editor.");
      return Promise.resolve(null);
    }
    this.count(1);
    const done = this.pending.then(() => this.next(work, failed));
    this.pending = done;
    return done;
  }

  async next(work, failed) {
    let answer = null;
    try {
      answer = await work();
      if (answer?.revision) this.revision = answer.revision;
    } catch (error) {
      failed(error.message);
    }
    try {
      await this.refresh();
    } finally {
      this.count(-1);
    }
    return answer;
  }

  count(by) {
    this.saving += by;
    this.changed(this.saving);
  }

  // Sends something that has to name the revision it is meant for.
  send(method, address, body) {
    return this.write(() => this.call(method, `${this.path}${address}`, { revision: this.revision, ...body }));
  }

  edit(title, edit) {
    return this.send("POST", "/edits", { title, edit });
  }
}
