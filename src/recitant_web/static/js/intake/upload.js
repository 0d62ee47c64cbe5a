// Files go up in pieces. What has arrived stays on the server, so a broken line goes on where it stopped: by itself
// for a while, and after that when the same file is dropped again.

const PIECE_BYTES = 8 * 1024 * 1024;
const RETRY_S = [0.5, 1, 2, 4, 8, 15, 30];

export class Stopped extends Error {}
class Refused extends Error {}

export class Upload {
  // pile: { id, place } of files that are laid out together, or null.
  constructor(url, csrf, file, role, pile = null) {
    Object.assign(this, { url, csrf, file, role, pile, isStopped: false, token: null });
  }

  // Resolves with the id of the source; onProgress is told the share that arrived, onWait why it waits.
  async send(onProgress, onWait) {
    let tries = 0;
    for (;;) {
      try {
        return await this.sendOnce((share) => {
          tries = 0;
          onProgress(share);
        });
      } catch (error) {
        if (error instanceof Refused || error instanceof Stopped) throw error;
        if (tries >= RETRY_S.length)
          throw new Error(
            `${this.file.name} did not arrive. Check the connection and drop it again; it goes on where it stopped.`,
          );
        onWait(`the line is broken; trying again (${tries + 1})`);
        await new Promise((resolve) => {
          setTimeout(resolve, RETRY_S[tries] * 1000);
        });
        tries += 1;
      }
    }
  }

  async stop() {
    this.isStopped = true;
    this.request?.abort();
    if (this.token)
      await fetch(`${this.url}/${this.token}`, { method: "DELETE", headers: this.headers() }).catch(() => {});
  }

  async sendOnce(onProgress) {
    const { name, size, lastModified } = this.file;
    const asked = { name, size_bytes: size, role: this.role, fingerprint: `${size}-${lastModified}-${name}` };
    if (this.pile) Object.assign(asked, { pile: this.pile.id, pile_place: this.pile.place });
    const begun = await this.answer(
      await fetch(this.url, {
        method: "POST",
        headers: { ...this.headers(), "Content-Type": "application/json" },
        body: JSON.stringify(asked),
      }),
    );
    this.token = begun.token;
    let { received } = begun;
    for (;;) {
      if (this.isStopped) throw new Stopped();
      const piece = this.file.slice(received, received + PIECE_BYTES);
      const found = await this.put(received, piece, (sent) => onProgress((received + sent) / size));
      received = found.received;
      onProgress(received / size);
      if (found.source_id !== null) return found.source_id;
    }
  }

  put(offset, piece, onSent) {
    const request = new XMLHttpRequest();
    this.request = request;
    return new Promise((resolve, reject) => {
      request.upload.addEventListener("progress", (event) => onSent(event.loaded));
      request.addEventListener("abort", () => reject(this.isStopped ? new Stopped() : new Error("aborted")));
      request.addEventListener("error", () => reject(new Error("line")));
      request.addEventListener("load", () => {
        let data = {};
        try {
          data = JSON.parse(request.responseText);
        } catch {
          /* not our answer: the line was cut */
        }
        if (request.status === 200) resolve(data);
        // Out of place: begin again and be told where to go on. Anything else that is our sentence is final.
        else if (data.error === "piece_out_of_place" || !data.sentence) reject(new Error("again"));
        else reject(new Refused(data.sentence));
      });
      request.open("PUT", `${this.url}/${this.token}`);
      for (const [name, value] of Object.entries(this.headers())) request.setRequestHeader(name, value);
      request.setRequestHeader("Upload-Offset", offset);
      request.send(piece);
    });
  }

  async answer(response) {
    if (response.ok) return response.json();
    let words = null;
    try {
      words = (await response.json()).sentence;
    } catch {
      /* not our answer */
    }
    if (words) throw new Refused(words);
    throw new Error("line");
  }

  headers() {
    return { "X-CSRFToken": this.csrf, Accept: "application/json" };
  }
}
