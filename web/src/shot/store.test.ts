import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Shot } from './open/state';
import { createShot } from './store';

// The client takes hold of fetch and Request when it is loaded, and here there is no page to resolve paths against.
const net = vi.hoisted(() => {
  const hooks = { answer: async (_: Request | string): Promise<Response> => new Response() };
  const Plain = globalThis.Request;
  globalThis.Request = class extends Plain {
    constructor(input: RequestInfo | URL, init?: RequestInit) {
      super(typeof input === 'string' ? new URL(input, 'http://here') : input, init);
    }
  };
  globalThis.fetch = ((input: Request | string) => hooks.answer(input)) as typeof fetch;
  return hooks;
});

/** A server in miniature: it keeps a document and a revision, and answers as the real one does. */
class Server {
  document = {
    version: 1,
    title: 'Trial',
    first: 0,
    last: 72,
    steps: [{ id: 'block', kind: 'block', size: 1, text: 'TIDE', axes: {}, overrides: [] }],
  };
  revision = 1;
  posted: { revision: number; label: string; patch: { path: string; value: unknown }[] }[] = [];
  refuse: { status: number; code: string } | null = null;
  down = false;

  answer = async (input: Request | string): Promise<Response> => {
    if (this.down) throw new TypeError('connection refused');
    const url = typeof input === 'string' ? input : input.url;
    if (url.endsWith('/draft')) return new Response(this.draft());
    if (url.endsWith('/ridges')) return this.json({ letters: [] });
    if (url.endsWith('/edits')) return this.edit(await (input as Request).json());
    return this.json(this.shot());
  };

  private edit(change: Server['posted'][number]): Response {
    this.posted.push(change);
    if (this.refuse) {
      const { status, code } = this.refuse;
      this.refuse = null;
      return this.json(
        { type: '', title: '', status, code, detail: 'refused', field: '/x', bound: 'y', request_id: '1' },
        status,
      );
    }
    if (change.revision !== this.revision) {
      return this.json({ status: 409, code: 'shot.revision_stale', detail: 'stale', request_id: '1' }, 409);
    }
    this.put(change.patch);
    return this.json(this.shot());
  }

  /** Someone's edit: ours, or that of another window. */
  put(patch: { path: string; value: unknown }[]) {
    for (const { path, value } of patch) {
      const parts = path.split('/').slice(1);
      const last = parts.pop() as string;
      let node: Record<string, unknown> = this.document;
      for (const part of parts) node = node[part] as Record<string, unknown>;
      node[last] = value;
    }
    this.revision += 1;
  }

  private shot() {
    const document = JSON.parse(JSON.stringify(this.document));
    return {
      id: 's',
      production_id: 'p',
      production: 'Lowmere',
      document,
      revision: this.revision,
      undo: '',
      redo: '',
    };
  }

  private json(body: unknown, status = 200) {
    return new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json' } });
  }

  draft() {
    const head = {
      width: 16,
      height: 9,
      first: 0,
      last: 72,
      fps: [25, 1],
      spans: [],
      looks: [],
      look_of: [],
      rest: 46,
      lenses: [],
      keyed: {},
      notes: [],
    };
    const text = JSON.stringify(head);
    const body = new TextEncoder().encode(text + ' '.repeat((4 - (text.length % 4)) % 4));
    const out = new Uint8Array(4 + body.length + 73 * 64);
    new DataView(out.buffer).setUint32(0, body.length, true);
    out.set(body, 4);
    return out;
  }
}

class Socket {
  static OPEN = 1;
  readyState = 1;
  sent: { type: string; seq: number; patch?: unknown }[] = [];
  onmessage: ((m: { data: unknown }) => void) | null = null;
  static last: Socket;
  constructor() {
    Socket.last = this;
  }
  send(text: string) {
    this.sent.push(JSON.parse(text));
  }
  close() {}
  answerPreview(draft: Uint8Array, seq = this.sent.at(-1)?.seq, part = 'whole') {
    const head = new TextEncoder().encode(JSON.stringify({ type: 'preview', seq, part }));
    const room = Math.ceil(head.length / 4) * 4;
    const out = new Uint8Array(4 + room + draft.length).fill(32);
    new DataView(out.buffer).setUint32(0, room, true);
    out.set(head, 4);
    out.set(draft, 4 + room);
    this.onmessage?.({ data: out.buffer });
  }
}

const size = (shot: Shot | null) => (shot?.steps?.[0] as { size: number } | undefined)?.size;
const set = (value: unknown) => [{ op: 'replace' as const, path: '/steps/0/size', value }];
let server: Server;

async function opened() {
  const store = createShot('s');
  store.open();
  await vi.waitFor(() => expect(store.getState().draft).not.toBeNull());
  return store;
}
const saved = (store: Awaited<ReturnType<typeof opened>>) =>
  vi.waitFor(() => expect(store.getState().saving).toBe('saved'), 5000);

beforeEach(() => {
  server = new Server();
  net.answer = server.answer;
  vi.stubGlobal('WebSocket', Socket);
  vi.stubGlobal('location', { protocol: 'http:', host: 'here' });
  vi.stubGlobal('window', globalThis);
  vi.stubGlobal('requestAnimationFrame', (draw: () => void) => setTimeout(draw));
});
afterEach(() => vi.unstubAllGlobals());

describe('an open shot', () => {
  it('opens at rest and knows its production', async () => {
    const store = await opened();
    await vi.waitFor(() => expect(store.getState().frame).toBe(46));
    expect(store.getState()).toMatchObject({ step: 'block', production: { name: 'Lowmere' }, revision: 1 });
  });

  it('shows an edit at once and sends edits one by one, each on the revision before', async () => {
    const store = await opened();
    for (const value of [2, 3, 4]) store.edit(set(value), `size ${value}`);
    expect(size(store.getState().document)).toBe(4);
    expect(store.getState().saving).toBe('saving');
    await saved(store);
    expect(server.posted.map((p) => [p.revision, p.label])).toEqual([
      [1, 'size 2'],
      [2, 'size 3'],
      [3, 'size 4'],
    ]);
    expect(store.getState().revision).toBe(4);
  });

  it('puts its edit on top when another window was first', async () => {
    const store = await opened();
    server.put([{ path: '/title', value: 'Theirs' }]);
    store.edit(set(5), 'mine');
    await saved(store);
    expect(server.document).toMatchObject({ title: 'Theirs', steps: [{ size: 5 }] });
    expect(store.getState().document).toMatchObject({ title: 'Theirs', steps: [{ size: 5 }] });
  });

  it('goes back to what is stored when an edit is refused, and keeps the next', async () => {
    const store = await opened();
    server.refuse = { status: 422, code: 'document.invalid' };
    store.edit(set(-1), 'bad');
    store.edit([{ op: 'replace', path: '/title', value: 'Good' }], 'good');
    await saved(store);
    expect(store.getState().document).toMatchObject({ title: 'Good', steps: [{ size: 1 }] });
    expect(server.document).toMatchObject({ title: 'Good', steps: [{ size: 1 }] });
  });

  it('says that it is not saved while the server is away, and saves when it is back', async () => {
    const store = await opened();
    server.down = true;
    store.edit(set(7), 'while away');
    await vi.waitFor(() => expect(store.getState().saving).toBe('away'));
    expect(size(store.getState().document)).toBe(7);
    server.down = false;
    await saved(store);
    expect(server.document.steps[0]).toMatchObject({ size: 7 });
  });

  it('sends previews that change nothing, and takes only the newest answer', async () => {
    const store = await opened();
    store.preview(set(2));
    store.preview(set(3));
    expect(Socket.last.sent.map((m) => m.type)).toEqual(['preview', 'preview']);
    expect(size(store.getState().document)).toBe(1);
    expect(server.posted).toEqual([]);
    const seqs = Socket.last.sent.map((m) => m.seq);
    expect(seqs[1]).toBeGreaterThan(seqs[0] as number);
  });

  it('paints the picture of a preview first, and makes that draft whole when the rest has come', async () => {
    const store = await opened();
    const painted: unknown[] = [];
    store.onPicture(
      (seen) => painted.push(seen),
      () => {},
    );
    const before = store.getState().draft;
    store.preview(set(2));
    Socket.last.answerPreview(server.draft(), undefined, 'picture');
    expect(painted).toHaveLength(1);
    expect(store.getState().draft).toBe(before);
    const { type, seq } = Socket.last.sent.at(-1) as { type: string; seq: number };
    expect([type, seq]).toEqual(['rest', Socket.last.sent.at(-2)?.seq]);
    Socket.last.answerPreview(server.draft(), seq);
    await vi.waitFor(() => expect(store.getState().draft).toBe(painted[0]));
    expect(new Set(painted).size).toBe(1); // nothing else was to be drawn
  });

  it('follows a drag that does not stop: what is answered while more is asked for is painted too', async () => {
    const store = await opened();
    const painted: unknown[] = [];
    store.onPicture(
      (seen) => painted.push(seen),
      () => {},
    );
    store.preview(set(2));
    const { seq } = Socket.last.sent.at(-1) as { seq: number };
    store.preview(set(3));
    Socket.last.answerPreview(server.draft(), seq, 'picture');
    expect(painted).toHaveLength(1);
    // An edit, and a drag that is given up, end what was asked for before.
    for (const end of [
      () => store.edit([{ op: 'replace', path: '/title', value: 'Mine' }], 'mine'),
      store.settle,
    ]) {
      store.preview(set(4));
      const late = (Socket.last.sent.at(-1) as { seq: number }).seq;
      const begun = painted.length;
      end();
      Socket.last.answerPreview(server.draft(), late, 'picture');
      expect(painted).toHaveLength(begun);
    }
    await saved(store);
  });

  it('shows an edit before it is stored, unless doing it twice would be another edit', async () => {
    const store = await opened();
    store.edit(set(4), 'size');
    store.edit([{ op: 'add', path: '/steps/0/axes', value: {} }], 'axes');
    store.edit([{ op: 'add', path: '/steps/0/overrides/-', value: {} }], 'letter');
    const sent = Socket.last.sent as unknown as { type: string; patch: { path: string }[] }[];
    expect(sent.map((m) => m.patch.map((o) => o.path))).toEqual([
      ['/steps/0/size'],
      ['/steps/0/size', '/steps/0/axes'],
    ]);
    await saved(store);
  });

  it('fetches no draft of what its preview has shown already', async () => {
    const store = await opened();
    const fetched: string[] = [];
    net.answer = (input) => {
      fetched.push(typeof input === 'string' ? input : new URL(input.url).pathname);
      return server.answer(input);
    };
    const first = store.getState().draft;
    store.edit(set(4), 'size');
    Socket.last.answerPreview(server.draft());
    await saved(store);
    expect(fetched).toEqual(['/api/shots/s/edits', '/api/shots/s/ridges']);
    await vi.waitFor(() => expect(store.getState().draft).not.toBe(first));
  });

  it('fetches it when the preview was refused, or does not come', async () => {
    const store = await opened();
    for (const refuse of [true, false]) {
      const first = store.getState().draft;
      store.edit(set(refuse ? 4 : 5), 'size');
      const { seq } = Socket.last.sent.at(-1) as { seq: number };
      if (refuse) Socket.last.onmessage?.({ data: JSON.stringify({ type: 'refused', seq }) });
      await saved(store);
      expect(store.getState().draft).not.toBe(first);
    }
  });

  it('fetches what another window changed', async () => {
    const store = await opened();
    server.put([{ path: '/steps/0/size', value: 9 }]);
    Socket.last.onmessage?.({ data: JSON.stringify({ type: 'changed', revision: 2 }) });
    await vi.waitFor(() => expect(size(store.getState().document)).toBe(9));
  });

  it('fetches it too when it is told so while the picture of its own edit is on its way', async () => {
    const store = await opened();
    let release = () => {};
    net.answer = async (input) => {
      const url = typeof input === 'string' ? input : input.url;
      if (url.endsWith('/draft')) await new Promise<void>((go) => (release = go));
      return server.answer(input);
    };
    store.edit([{ op: 'replace', path: '/title', value: 'Mine' }], 'mine', true);
    await vi.waitFor(() => expect(store.getState().revision).toBe(2));
    server.put([{ path: '/steps/0/size', value: 9 }]);
    Socket.last.onmessage?.({ data: JSON.stringify({ type: 'changed', revision: 3 }) });
    net.answer = server.answer;
    release();
    await vi.waitFor(() => expect(size(store.getState().document)).toBe(9));
  });

  it('keeps the playhead inside the shot', async () => {
    const store = await opened();
    store.seek(500);
    expect(store.getState().frame).toBe(72);
    store.seek(-3);
    expect(store.getState().frame).toBe(0);
  });

  it('shows an added step only when the server has filled it in', async () => {
    const store = await opened();
    store.edit([{ op: 'replace', path: '/title', value: 'Later' }], 'later', true);
    expect(store.getState().document?.title).toBe('Trial');
    await saved(store);
    expect(store.getState().document?.title).toBe('Later');
  });

  it('says why it cannot be opened', async () => {
    server.down = true;
    const store = createShot('s');
    store.open();
    await vi.waitFor(() => expect(store.getState().failed).toContain('does not answer'));
  });
});
