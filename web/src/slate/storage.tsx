import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { ApiError, api, ok, type Schemas } from '../api/client';
import { renew } from '../api/renew';
import { megabytes } from '../ui/amounts';
import { Button, Dialog } from '../ui/controls';
import { toast } from '../ui/toasts';

type Stored = Schemas['StoredOut'];

const NAMES: Record<Stored['kind'], string> = {
  takes: 'Takes',
  proofs: 'Proofs',
  history: 'Undo',
  shots: 'Shots',
  assets: 'Fonts, emblems, pictures',
};

/** What a production takes up, by kind, and by which rules some of it may go. Nothing goes unless it is asked for. */
export function Storage({ production, onClose }: { production: string; onClose: () => void }) {
  const queries = useQueryClient();
  const params = { path: { production } };
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [wrong, setWrong] = useState('');
  const [busy, setBusy] = useState(false);
  const found = useQuery({
    queryKey: ['storage', production],
    queryFn: () => ok(api.GET('/api/productions/{production}/storage', { params })),
  });
  const chosen = (found.data ?? []).filter((s) => s.spare > 0 && !left.has(s.kind));
  const gain = chosen.reduce((sum, s) => sum + s.spare_bytes, 0);

  async function makeRoom() {
    setBusy(true);
    setWrong('');
    try {
      const kinds = chosen.map((s) => s.kind);
      await ok(api.POST('/api/productions/{production}/storage/make-room', { params, body: { kinds } }));
      toast(`Room made: ${megabytes(gain)}`);
      await renew(queries, ['storage', production], ['takes'], ['assets', production]);
    } catch (error) {
      setWrong(error instanceof ApiError ? error.problem.detail : String(error));
    }
    setBusy(false);
  }

  return (
    <Dialog
      open
      wide
      onOpenChange={(o) => !o && onClose()}
      title="Storage"
      about="What this production takes up, and what of it may go. What goes cannot be brought back."
    >
      {found.isError && (
        <p role="alert" className="text-warn">
          {found.error.message}
        </p>
      )}
      <table className="w-full text-sm">
        <thead>
          <tr className="text-left text-dim text-xs">
            <th scope="col" className="pb-1 font-normal">
              Kind
            </th>
            <th scope="col" className="pb-1 text-right font-normal">
              Kept
            </th>
            <th scope="col" className="pb-1 pl-6 font-normal">
              May go
            </th>
          </tr>
        </thead>
        <tbody>
          {found.data?.map((s) => (
            <tr key={s.kind} className="border-t align-top">
              <th scope="row" className="py-2 pr-4 text-left font-semibold">
                {NAMES[s.kind]}
              </th>
              <td className="whitespace-nowrap py-2 text-right tabular-nums">
                {s.count > 0 ? `${s.count}, ${megabytes(s.bytes)}` : 'none'}
              </td>
              <td className="py-2 pl-6">
                <label className="flex items-start gap-2">
                  <input
                    type="checkbox"
                    className="mt-0.5 accent-moss"
                    disabled={s.spare === 0}
                    checked={s.spare > 0 && !left.has(s.kind)}
                    onChange={(e) => {
                      const next = new Set(left);
                      if (e.target.checked) next.delete(s.kind);
                      else next.add(s.kind);
                      setLeft(next);
                    }}
                  />
                  <span>
                    <span className="tabular-nums">
                      {s.spare > 0 ? `${s.spare}, ${megabytes(s.spare_bytes)}` : 'nothing now'}
                    </span>
                    <span className="block text-dim">{s.rule}</span>
                  </span>
                </label>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {wrong && (
        <p role="alert" className="mt-2 text-warn">
          {wrong}
        </p>
      )}
      <div className="mt-4 flex items-center justify-end gap-2">
        <span className="flex-1 text-dim text-sm">A copy of everything: ./crown backup FILE</span>
        <Button onClick={onClose}>Close</Button>
        <Button look="main" disabled={busy || chosen.length === 0} onClick={() => void makeRoom()}>
          {chosen.length > 0 ? `Make room: ${megabytes(gain)}` : 'Make room'}
        </Button>
      </div>
    </Dialog>
  );
}
