import { unframe } from '../draft';

const AGAIN_MS = 1000;

/** What the server says over an open shot's channel: words, and pictures with a head. */
export interface Hearing {
  words(said: { type: string; seq: number; revision: number; detail: string }): void;
  picture(head: { type: string; seq: number }, body: ArrayBuffer): void;
  opened(): void;
  lost(): void;
}

/** The channel on which a shot's previews and proofs are asked for. It comes back by itself. */
export function live(id: string, hearing: () => Hearing) {
  let socket: WebSocket | null = null;
  let closed = false;
  let seq = 0;

  function hear(message: MessageEvent) {
    if (typeof message.data === 'string') {
      hearing().words(JSON.parse(message.data));
      return;
    }
    const { head, body } = unframe(message.data as ArrayBuffer);
    hearing().picture(head as { type: string; seq: number }, body);
  }

  function connect() {
    if (closed) return;
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws';
    socket = new WebSocket(`${scheme}://${location.host}/api/shots/${id}/live`);
    socket.binaryType = 'arraybuffer';
    socket.onmessage = hear;
    socket.onopen = () => hearing().opened();
    socket.onclose = () => {
      hearing().lost();
      setTimeout(connect, AGAIN_MS);
    };
  }

  return {
    open() {
      closed = false;
      connect();
    },
    close() {
      closed = true;
      socket?.close();
    },
    /** The next number: of what is asked for, or of what makes earlier answers out of date. */
    next: () => ++seq,
    /** The newest number. */
    last: () => seq,
    /** Whether something could be said now. */
    isOpen: () => socket?.readyState === WebSocket.OPEN,
    say(message: { type: string } & Record<string, unknown>): boolean {
      if (socket?.readyState !== WebSocket.OPEN) return false;
      socket.send(JSON.stringify(message));
      return true;
    },
  };
}

export type Live = ReturnType<typeof live>;
