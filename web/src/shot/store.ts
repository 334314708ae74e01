import { replaceEqualDeep } from '@tanstack/react-query';
import { immutableJSONPatch } from 'immutable-json-patch';
import { createStore } from 'zustand/vanilla';
import { ApiError, api, bytes, ok, type Schemas } from '../api/client';
import { toast } from '../ui/toasts';
import { type Draft, readDraft, readSeen, type Seen, type Speeds, spanAt, unframe } from './draft';
import type { Key, Operation } from './values';

export type Shot = Schemas['Shot'];
export type Step = NonNullable<Shot['steps']>[number];
export type Mode = 'draft' | 'proof';
export type View = 'shot' | 'walk' | 'front' | 'side' | 'top';

export interface Proof {
  picture: string;
  samples: number;
  of: number;
  noise: number; // with a bound on it `of` is how many samples a part gets at most
  frame: number;
  revision: number;
  working: boolean;
  region: Region | null; // the part of the frame that it shows; null for all
  scopes: Scopes | null;
  exposure: string; // the finished picture's exposure in colours
  bands: [string, string][]; // their names and colours
}
/** Left, top, right, bottom in shares of the frame. */
export type Region = [number, number, number, number];
/** Samples a pixel of a proof; with a bound on noise so many at most, see the orders of a take. */
export interface Fineness {
  samples: number;
  noise: number;
}
/** As the core measures a proof: shares by level, and of white and black. */
export interface Scopes {
  histogram: number[][];
  waveform: number[][];
  white: number;
  black: number;
}

interface Waiting {
  patch: Operation[];
  label: string;
}

export interface ShotState {
  id: string;
  document: Shot | null;
  production: { id: string; name: string };
  revision: number;
  undo: string;
  redo: string;
  saving: 'saved' | 'saving' | 'away';
  draft: Draft | null;
  failed: string;
  frame: number;
  playing: boolean;
  loop: boolean;
  shading: keyof Speeds; // what the sheet shades letters by
  range: [number, number] | null; // what is played, null for all
  everyFrame: boolean; // play each frame, however long it takes
  step: string;
  stage: string;
  mode: Mode;
  view: View;
  guides: boolean;
  across: boolean; // do the frames of the sheet run across?
  lanes: string[]; // values whose curves are open
  isolated: Record<string, number>; // of those, the one part that is shown
  fitted: boolean; // their curves fill their lanes over the frames that are shown, not over all
  chosen: Record<string, number[]>; // keys chosen in the sheet: frames by path
  proof: Proof | null;
  under: string; // the last finished proof of a whole frame, under one of a region
  region: Region | null;
  fineness: Fineness;
  kept: number; // rises when a proof was kept
  ridges: string[];
  pointing: { step: string; light: number; effect: NonNullable<Schemas['Lighting']['effect']> } | null; // a light being placed
  picked: number[]; // letters of the span at the playhead
  copied: Key[]; // keys that were copied
}

const PREVIEW_WAIT = 2000; // milliseconds; then the draft of what is stored is fetched

/** Everything about one open shot. Edits are applied here at once, sent one by one, and stand when the server says so. */
export function createShot(id: string, across = false) {
  const store = createStore<ShotState>(() => ({
    id,
    document: null,
    production: { id: '', name: '' },
    revision: 0,
    undo: '',
    redo: '',
    saving: 'saved',
    draft: null,
    failed: '',
    frame: 0,
    playing: false,
    loop: true,
    shading: 'all',
    range: null,
    everyFrame: false,
    step: '',
    stage: 'all',
    mode: 'draft',
    view: 'shot',
    guides: false,
    across,
    lanes: [],
    isolated: {},
    fitted: false,
    chosen: {},
    proof: null,
    under: '',
    region: null,
    fineness: { samples: 16, noise: 0 },
    kept: 0,
    ridges: [],
    pointing: null,
    picked: [],
    copied: [],
  }));
  const { getState: get, setState: set } = store;
  const waiting: Waiting[] = [];
  let sending = false;
  let seq = 0;
  let outdated = 0; // previews asked for before this one
  let early: { seq: number; picture: Seen } | null = null; // the newest preview's, until all of it is there
  let socket: WebSocket | null = null;
  let closed = false;
  let proofSeq = 0;
  let heard = 0; // the newest revision that the server spoke of
  let foreseen: { seq: number; came: Promise<boolean> } | null = null; // the preview of edits that are being stored
  let arrive: (shown: boolean) => void = () => {};

  function take(answer: unknown) {
    const out = answer as Schemas['ShotOut']; // the client's generics lose the lengths of tuples
    if (out.revision < get().revision) return; // an answer that was overtaken
    set({
      // What is as it was stays the same object: nothing that shows it is drawn again.
      document: replaceEqualDeep(
        get().document,
        waiting.reduce((d, w) => patched(d, w.patch), out.document as Shot),
      ),
      production: { id: out.production_id, name: out.production },
      revision: out.revision,
      undo: out.undo,
      redo: out.redo,
    });
  }

  async function load() {
    try {
      const out = await ok(api.GET('/api/shots/{shot}', { params: { path: { shot: id } } }));
      const first = get().document === null;
      take(out);
      if (first) set({ step: out.document.steps?.[0]?.id ?? '', frame: out.document.first ?? 0 });
      await refresh();
    } catch (error) {
      set({ failed: error instanceof Error ? error.message : String(error) });
    }
  }

  let refreshing = 0;
  async function refresh() {
    const mine = ++refreshing;
    try {
      const { body } = await bytes(`/api/shots/${id}/draft`);
      if (mine !== refreshing) return;
      show(readDraft(body));
      findRidges();
    } catch (error) {
      tell(error);
    }
  }

  /** Not waited for: it builds every solid, and nothing depends on it but a remark in the desk. */
  function findRidges() {
    const mine = refreshing;
    void ok(api.GET('/api/shots/{shot}/ridges', { params: { path: { shot: id } } })).then(
      (out) => mine === refreshing && set({ ridges: out.letters }),
      () => {},
    );
  }

  let newest = 0; // of the drafts that were shown
  const painters = new Set<(picture: Seen, frame: number) => void>();
  const asking = new Set<() => void>();
  store.subscribe((now, before) => {
    if (now.draft && (now.draft !== before.draft || now.frame !== before.frame)) paint(now.draft);
  });

  function paint(picture: Seen) {
    for (const draw of painters) draw(picture, get().frame);
  }

  /** A draft of an edit under way goes to the picture first; the rest of the screen follows once that is shown. */
  function showFirst(draft: Draft) {
    paint(draft);
    const mine = ++newest;
    requestAnimationFrame(() => setTimeout(() => mine === newest && show(draft)));
  }

  function show(draft: Draft) {
    newest += 1;
    // A shot opens on its rest pose: what an arrival ends in is what is judged first. Later the playhead is the user's.
    const frame = get().draft ? get().frame : Math.ceil(draft.rest);
    const at = Math.min(Math.max(frame, draft.first), draft.last);
    const letters = (of: Draft | null) =>
      (of &&
        spanAt(of, at)
          ?.letters.map((l) => l.text)
          .join('')) ??
      '';
    const picked = letters(get().draft) === letters(draft) ? get().picked : [];
    set({ draft, frame: at, picked });
  }

  function tell(error: unknown) {
    if (error instanceof ApiError) {
      const { detail, bound } = error.problem;
      toast(bound && !detail.includes(bound) ? `${detail} (${bound})` : detail, 'wrong');
    } else toast(String(error), 'wrong');
  }

  /** Make an edit. With `later` it shows only when the server has filled in what the patch leaves out. */
  function edit(patch: Operation[], label: string, later = false) {
    const { document } = get();
    if (!document || !patch.length) return;
    waiting.push({ patch, label });
    outdated = ++seq; // previews under way are out of date,
    refreshing += 1; // and so are drafts
    set({ document: later ? document : patched(document, patch), saving: 'saving' });
    const all = waiting.flatMap((w) => w.patch);
    if (!later && all.every(repeatable) && preview(all)) {
      // Seen while it is being stored.
      foreseen = { seq, came: new Promise((come) => (arrive = come)) };
    }
    void send();
  }

  /** Did the preview of the edits that are now stored show what they have made of the shot? */
  async function wasForeseen() {
    const mine = foreseen;
    if (mine?.seq !== seq) return false;
    const soon = new Promise<boolean>((come) => setTimeout(() => come(false), PREVIEW_WAIT));
    return (await Promise.race([mine.came, soon])) && mine === foreseen && mine.seq === seq;
  }

  async function send() {
    if (sending) return;
    sending = true;
    while (waiting.length) {
      const next = waiting[0] as Waiting;
      try {
        const body = { revision: get().revision, label: next.label, patch: next.patch as never };
        const out = await ok(api.POST('/api/shots/{shot}/edits', { params: { path: { shot: id } }, body }));
        waiting.shift();
        take(out);
        if (waiting.length) continue;
        if (await wasForeseen()) {
          findRidges();
          if (get().mode === 'proof') prove();
        } else if (!waiting.length) await afterChange();
      } catch (error) {
        const code = error instanceof ApiError ? error.problem.code : '';
        if (code === 'shot.revision_stale') {
          // Someone else was first: take their state, put ours on top of it, try again.
          foreseen = null;
          await reload();
        } else if (code === 'server.away' || code === 'database.away') {
          set({ saving: 'away' });
          await new Promise((r) => setTimeout(r, 1500));
        } else {
          waiting.shift();
          tell(error);
          await reload();
          await refresh();
        }
      }
    }
    sending = false;
    set({ saving: 'saved' });
    await catchUp();
  }

  /** Fetch what others have changed: at once, or when the edits under way are stored and shown. */
  async function catchUp() {
    if (heard <= get().revision || sending || waiting.length) return;
    await reload();
    await afterChange();
  }

  /** Let the core work out an edit at the playhead. Waits for edits under way: it works on what is stored. */
  async function workedOut(
    send: (now: { revision: number; frame: number }) => Parameters<typeof ok<unknown>>[0],
  ) {
    while (sending || waiting.length) await new Promise((r) => setTimeout(r, 30));
    const { revision, frame } = get();
    set({ saving: 'saving' });
    try {
      take(await ok(send({ revision, frame })));
      set({ saving: 'saved' });
      await afterChange();
    } catch (error) {
      set({ saving: 'saved' });
      tell(error);
    }
  }
  const params = { path: { shot: id } };

  /** Align, space, fit or stand blocks. */
  const arrange = (order: Partial<Schemas['Arrangement']> & { what: Schemas['Arrangement']['what'] }) =>
    workedOut((now) => {
      const body = {
        step: 'block',
        side: 'centre',
        to: 'frame',
        share: 0.8,
        angle: 12,
        ...order,
        ...now,
      } as const;
      return api.POST('/api/shots/{shot}/arrange', { params, body });
    });

  /** Put on a look, or parts of it. */
  const wear = (look: string, parts: NonNullable<Schemas['Wearing']['parts']>) =>
    workedOut((now) => api.POST('/api/shots/{shot}/wear', { params, body: { look, parts, ...now } }));

  /** Give letters a material of their own, and show the step that has it. */
  const dress = async (letters: number[]) => {
    const before = new Set(get().document?.steps?.map((s) => s.id));
    await workedOut((now) => api.POST('/api/shots/{shot}/dress', { params, body: { letters, ...now } }));
    const made = get().document?.steps?.find((s) => !before.has(s.id));
    if (made) set({ step: made.id });
  };

  /** Move, scale, reverse or copy keys: frames by the path of their value. */
  const moveKeys = (order: Partial<Schemas['KeyMove']> & { chosen: Record<string, number[]> }) =>
    workedOut(({ revision }) => {
      const body = { by: 0, scale: 1, reverse: false, copied: false, ...order, revision };
      return api.POST('/api/shots/{shot}/keys/move', { params, body });
    });

  /** Put the copied keys on values, from the playhead on; for each further value `delay` frames later. */
  const pasteKeys = (paths: string[], reverse: boolean, delay = 0) =>
    workedOut(({ revision, frame }) => {
      const keys = get().copied as unknown as Schemas['KeyPaste']['keys'];
      return api.POST('/api/shots/{shot}/keys/paste', {
        params,
        body: { revision, frame, paths, reverse, delay, keys },
      });
    });

  /** Give the shot a motion of the book or a kept one. */
  const setMotion = (motion: string, texts: string[], keep: boolean) =>
    workedOut(({ revision }) =>
      api.POST('/api/shots/{shot}/motion', { params, body: { revision, motion, texts, keep } }),
    );

  /** Another frame rate that keeps the frames or the seconds. */
  const retime = (numerator: number, denominator: number, keep: 'frames' | 'seconds') =>
    workedOut(({ revision }) => {
      const body = { revision, fps: { numerator, denominator }, keep };
      return api.POST('/api/shots/{shot}/retime', { params, body });
    });

  /** Place lights: a kit, or one by its effect. */
  const light = (order: Partial<Schemas['Lighting']>) =>
    workedOut((now) => {
      const body = {
        step: 'lights',
        light: 0,
        effect: 'highlight',
        x: 0.5,
        y: 0.5,
        ...order,
        ...now,
      } as const;
      return api.POST('/api/shots/{shot}/light', { params, body });
    });

  async function reload() {
    try {
      take(await ok(api.GET('/api/shots/{shot}', { params: { path: { shot: id } } })));
    } catch (error) {
      tell(error);
    }
  }

  async function afterChange() {
    await refresh();
    if (get().mode === 'proof') prove();
  }

  async function history(kind: 'undo' | 'redo') {
    const what = get()[kind];
    if (!what || waiting.length) return;
    try {
      const path = kind === 'undo' ? '/api/shots/{shot}/undo' : '/api/shots/{shot}/redo';
      take(await ok(api.POST(path, { params: { path: { shot: id } } })));
      await afterChange();
    } catch (error) {
      tell(error);
    }
  }

  function preview(patch: Operation[]) {
    if (socket?.readyState !== WebSocket.OPEN) return false;
    socket.send(JSON.stringify({ type: 'preview', patch, seq: ++seq, revision: get().revision }));
    for (const hear of asking) hear();
    return true;
  }

  function seek(frame: number) {
    const { draft } = get();
    if (!draft) return;
    const clamped = Math.min(Math.max(Math.round(frame), draft.first), draft.last);
    if (clamped === get().frame) return;
    set({ frame: clamped });
    if (get().mode === 'proof') proveSoon();
  }

  let soon = 0;
  function proveSoon() {
    clearTimeout(soon);
    soon = window.setTimeout(() => get().mode === 'proof' && prove(), 250);
  }

  function prove() {
    const { document, frame, proof, region, fineness } = get();
    if (!document || socket?.readyState !== WebSocket.OPEN) return;
    proofSeq = ++seq;
    set({ mode: 'proof', playing: false, proof: proof && { ...proof, working: true } });
    const order = { width: document.width, height: document.height, ...fineness, frame, region };
    socket.send(JSON.stringify({ type: 'proof', seq: proofSeq, ...order }));
  }

  function setMode(mode: Mode) {
    if (mode === 'proof') {
      set({ mode });
      prove();
    } else {
      if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ type: 'stop_proof' }));
      proofSeq = 0;
      const { proof, under } = get();
      for (const url of [proof?.picture, proof?.exposure, under]) if (url) URL.revokeObjectURL(url);
      set({ mode, proof: null, under: '', region: null });
    }
  }

  function hear(message: MessageEvent) {
    if (typeof message.data === 'string') {
      const said = JSON.parse(message.data);
      if (said.type === 'changed') {
        heard = Math.max(heard, said.revision);
        void catchUp();
      } else if (said.type === 'proof_kept') {
        set((s) => ({ kept: s.kept + 1 }));
      } else if (said.type === 'refused') {
        if (said.seq === proofSeq) toast(said.detail, 'wrong');
        else if (said.seq === foreseen?.seq) arrive(false);
      }
      return;
    }
    const { head, body } = unframe(message.data as ArrayBuffer);
    const facts = head as {
      type: string;
      part?: string;
      seq: number;
      format: string;
      finished: boolean;
    } & Proof;
    if (facts.type === 'preview' && facts.seq >= outdated) {
      if (facts.part === 'picture') {
        early = { seq: facts.seq, picture: readSeen(body) };
        paint(early.picture);
        socket?.send(JSON.stringify({ type: 'rest', seq: facts.seq }));
        return;
      }
      showFirst(readDraft(body, early?.seq === facts.seq ? early.picture : undefined));
      if (facts.seq === foreseen?.seq) arrive(true);
    } else if (facts.type === 'proof' && facts.seq === proofSeq && get().mode === 'proof') {
      const { proof: old, under } = get();
      const picture = URL.createObjectURL(new Blob([body], { type: facts.format }));
      const { samples, of, noise, frame, revision, region, scopes = null } = facts;
      const seen = { samples, of, noise, frame, revision, region };
      const working = !facts.finished;
      const whole = !working && !region ? picture : under;
      set({
        proof: { ...seen, picture, working, scopes, exposure: '', bands: [] },
        under: whole,
      });
      const gone = [old?.picture, old?.exposure, under].filter((url) => url && url !== get().under);
      setTimeout(() => {
        for (const url of gone) URL.revokeObjectURL(url as string);
      }, 1000);
    } else if (facts.type === 'exposure' && facts.seq === proofSeq) {
      const exposure = URL.createObjectURL(new Blob([body], { type: facts.format }));
      const { bands } = facts;
      set((s) => ({ proof: s.proof && { ...s.proof, exposure, bands } }));
    }
  }

  function connect() {
    if (closed) return;
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws';
    socket = new WebSocket(`${scheme}://${location.host}/api/shots/${id}/live`);
    socket.binaryType = 'arraybuffer';
    socket.onmessage = hear;
    socket.onopen = () => {
      // After an absence, what others did meanwhile is fetched, and a proof that was lost begins again.
      if (get().document && !sending) void reload().then(refresh);
      if (get().mode === 'proof') prove();
    };
    socket.onclose = () => {
      arrive(false);
      setTimeout(connect, 1000);
    };
  }

  return {
    ...store,
    /** Hear of every draft and frame to be shown, before anything else does, and of every draft of an edit that is
     *  asked for. Answers how to stop. */
    onPicture(paint: (picture: Seen, frame: number) => void, asked: () => void) {
      painters.add(paint);
      asking.add(asked);
      return () => {
        painters.delete(paint);
        asking.delete(asked);
      };
    },
    /** How many pictures the draft has drawn: counted apart, since nothing is to be drawn again for it. */
    pictures: { shown: 0 },
    open() {
      closed = false;
      connect();
      void load();
    },
    close() {
      closed = true;
      socket?.close();
    },
    edit,
    arrange,
    light,
    wear,
    dress,
    moveKeys,
    pasteKeys,
    setMotion,
    retime,
    copy: (copied: Key[]) => set({ copied }),
    point: (pointing: ShotState['pointing']) => set({ pointing }),
    preview,
    seek,
    setMode,
    setFineness: (fineness: Fineness) => {
      set({ fineness });
      if (get().mode === 'proof') prove();
    },
    /** Prove a part of the frame, or all of it again. */
    setRegion: (region: Region | null) => {
      set({ region });
      if (get().mode === 'proof') prove();
    },
    history,
    /** Put the draft back to what is stored, after a drag that was given up. */
    settle: () => {
      outdated = ++seq;
      void refresh();
    },
    selectStep: (step: string) => set({ step, pointing: null }),
    pick: (picked: number[]) => set({ picked }),
    setView: (view: View) => {
      if (get().mode === 'proof' && view !== 'shot') setMode('draft');
      set({ view });
    },
    /** The first or last frame that is played; one past the other lets go of that. */
    setRange: (end: 'from' | 'to' | null) =>
      set(({ range, draft, frame }) => {
        if (!end || !draft) return { range: null };
        const [from, to] = range ?? [draft.first, draft.last];
        const next: [number, number] = end === 'from' ? [frame, to] : [from, frame];
        if (next[0] >= next[1]) return { range: end === 'from' ? [frame, draft.last] : [draft.first, frame] };
        return { range: next };
      }),
    toggle: (what: 'loop' | 'guides' | 'everyFrame' | 'across' | 'fitted') =>
      set((s) => ({ [what]: !s[what] }) as Partial<ShotState>),
    setPlaying: (playing: boolean) => {
      if (playing && get().mode === 'proof') setMode('draft');
      set({ playing });
    },
    shadeBy: (shading: keyof Speeds) => set({ shading }),
    setStage: (stage: string) => set({ stage }),
    /** Open or close the curve of a value; of more than three the oldest gives way. */
    setLane: (lane: string) =>
      set((s) => ({
        lanes: s.lanes.includes(lane) ? s.lanes.filter((l) => l !== lane) : [...s.lanes, lane].slice(-3),
      })),
    closeLanes: () => set({ lanes: [] }),
    /** Show this curve and no other. */
    onlyLane: (lane: string) => set({ lanes: [lane] }),
    /** Show one part of a value's curve, or with null all. */
    isolate: (lane: string, part: number | null) =>
      set((s) => {
        const { [lane]: _, ...others } = s.isolated;
        return { isolated: part === null ? others : { ...others, [lane]: part } };
      }),
    chooseKeys: (chosen: Record<string, number[]>) => set({ chosen }),
  };
}

export type ShotStore = ReturnType<typeof createShot>;

function patched(document: Shot, patch: Operation[]): Shot {
  try {
    return immutableJSONPatch(document, patch as never) as unknown as Shot;
  } catch {
    return document; // the server will say what does not fit
  }
}

/** Does an operation that was done already change nothing when it is done again? */
function repeatable({ op, path }: Operation): boolean {
  return op === 'replace' || (op === 'add' && !/\/(\d+|-)$/.test(path));
}
