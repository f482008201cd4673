// A panel of buttons on the device socket: told how they stand, and presses that arrive exactly once.
const LATE_MS = 5000;
// A link that gives no answer for so long is taken for broken, and opened anew.
const DEAD_MS = 3000;

export class Panel {
  // `hello` gives what lets it in; `on` holds what is called: shown, changed, state ("open", "away", "refused"), pressed.
  constructor(hello, on) {
    Object.assign(this, { hello, on, tries: 0, number: 0, asked: new Map(), waiting: new Map(), leaf: "" });
    this.connect();
    // A phone that wakes up looks at once whether its link still stands.
    document.addEventListener("visibilitychange", () => { if (!document.hidden) this.look(); });
  }

  look() {
    if (this.open && this.leaf) this.ask("leaf.show", { leaf: this.leaf });
    else this.connect();
  }

  renew(socket) {
    if (socket !== this.socket) return;
    this.socket = null;
    socket.close();
    this.lose();
    this.on.state?.("away", "");
    this.connect();
  }

  lose() {
    this.open = false;
    const asked = [...this.asked.values()];
    this.asked.clear();
    for (const answered of asked) answered({ lost: true });
  }

  connect() {
    clearTimeout(this.timer);
    if (this.socket && this.socket.readyState <= WebSocket.OPEN) return;
    const socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/device-socket`);
    this.socket = socket;
    socket.onopen = async () => {
      const said = await this.ask("device.hello", { version: 1, ...this.hello() });
      if (said.lost) return;
      if (said.error) { this.refused = said.error.message; this.on.state?.("refused", this.refused); return; }
      this.tries = 0;
      this.open = true;
      this.on.state?.("open", "", said.result);
      if (this.leaf) this.ask("leaf.show", { leaf: this.leaf });
      for (const press of this.waiting.values()) this.send(press);
    };
    socket.onmessage = ({ data }) => {
      const told = JSON.parse(data);
      if (told.method === "leaf.shown") { this.leaf = told.params.leaf; this.on.shown?.(told.params); }
      else if (told.method === "buttons.changed") for (const face of told.params.buttons) this.on.changed?.(face);
      else this.asked.get(told.id)?.(told);
    };
    socket.onclose = ({ code, reason }) => {
      if (socket !== this.socket) return;
      this.lose();
      if (code === 4403 && reason) this.refused ??= reason;
      this.on.state?.(this.refused ? "refused" : "away", this.refused ?? "");
      if (this.refused) return;
      this.timer = setTimeout(() => this.connect(), Math.min(300 * 2 ** this.tries++, 5000) * (0.75 + Math.random() / 2));
    };
  }

  ask(method, params) {
    return new Promise((answered) => {
      const [id, socket] = [++this.number, this.socket];
      // What takes long may take long, as long as the link itself answers.
      const dead = setTimeout(() => { if (method === "device.ping") this.renew(socket); else if (this.asked.has(id)) this.ask("device.ping", {}); }, DEAD_MS);
      this.asked.set(id, (told) => { clearTimeout(dead); this.asked.delete(id); answered(told); });
      this.socket.send(JSON.stringify({ jsonrpc: "2.0", id, method, params }));
    });
  }

  // A press is kept until it is answered, and sent again under the same id: however bad the link, it counts once.
  press(button, on, held = false) {
    const press = { id: [...crypto.getRandomValues(new Uint8Array(12))].map((one) => one.toString(16).padStart(2, "0")).join(""), button, on, held, at: Date.now() };
    this.waiting.set(press.id, press);
    this.on.pressed?.(press, "sent, waiting", "waiting");
    press.late = setTimeout(() => this.on.pressed?.(press, "Not delivered yet. Retrying.", "late"), LATE_MS);
    if (this.open) this.send(press);
    return press;
  }

  async send(press) {
    const params = { button: press.button, press: press.id, again: press.sent === true, ...(press.on === undefined ? {} : { on: press.on }) };
    press.sent = true;
    const told = await this.ask(press.held ? "button.hold" : "button.press", params);
    if (told.lost) return;
    clearTimeout(press.late);
    if (!this.waiting.delete(press.id)) return;
    const wrong = told.error !== undefined || told.result?.done === false;
    this.on.pressed?.(press, told.error?.message ?? told.result.words, wrong ? "wrong" : "done");
  }

  // Of many turns only the last counts while one is under way.
  async turn(button, params) {
    this.turning ??= new Map();
    if (this.turning.has(button)) { this.turning.set(button, params); return; }
    this.turning.set(button, null);
    if (this.open) await this.ask("dial.turn", { button, ...params });
    const next = this.turning.get(button);
    this.turning.delete(button);
    if (next) this.turn(button, next);
  }

  show(leaf, from = 0) {
    this.leaf = leaf;
    if (this.open) this.ask("leaf.show", { leaf, from });
  }
}
