import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Upload } from 'lucide-react';
import { useRef, useState } from 'react';
import { ApiError, api, ok, type Schemas } from '../../api/client';
import { renew } from '../../api/renew';
import { Button, Dialog, inputLook } from '../../ui/controls';
import { toast } from '../../ui/toasts';
import { useShot } from '../context';

export type Asset = Schemas['AssetOut'];
type Kind = 'font' | 'emblem' | 'picture';
const ACCEPTED: Record<Kind, string> = {
  font: '.ttf,.otf,.ttc,.otc,.woff,.woff2',
  emblem: '.svg',
  picture: '.png,.jpg,.jpeg,.exr,.hdr',
};

export function useAssets(kind: Kind) {
  const production = useShot((s) => s.production.id);
  return useQuery({
    queryKey: ['assets', production, kind],
    queryFn: () =>
      ok(
        api.GET('/api/productions/{production}/assets', {
          params: { path: { production }, query: { kind } },
        }),
      ),
    enabled: production !== '',
  });
}

/** Bring files into the production. What a file lost on the way is said; what is refused says why. */
export function Bring({
  kind,
  label,
  onBrought,
}: {
  kind: Kind;
  label: string;
  onBrought?: (asset: Asset) => void;
}) {
  const production = useShot((s) => s.production.id);
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  // Whoever waits for others is told.
  const ahead = useQuery({
    queryKey: ['ready', 'lanes'],
    enabled: busy,
    refetchInterval: 500,
    retry: false,
    queryFn: () => ok(api.GET('/api/ready')),
  });
  const before = (ahead.data?.lanes[kind === 'picture' ? 'viewer' : 'reader']?.waiting ?? 1) - 1;
  const reading = before > 0 ? `waiting, ${before} before it …` : 'reading …';
  async function bring(files: FileList | null) {
    setBusy(true);
    for (const file of files ?? []) {
      try {
        const found = await ok(
          api.POST('/api/productions/{production}/assets', {
            params: { path: { production }, query: { kind, name: file.name.slice(0, 200) } },
            body: file as never,
            bodySerializer: (body: unknown) => body as Blob,
            headers: { 'content-type': 'application/octet-stream' },
          }),
        );
        for (const asset of found) for (const remark of asset.remarks) toast(`${asset.name}: ${remark}`);
        if (found[0]) onBrought?.(found[0]);
      } catch (error) {
        const detail = error instanceof ApiError ? error.problem.detail : String(error);
        toast(`${file.name}: ${detail}`, 'wrong');
      }
    }
    await renew(queries, ['assets', production], ['families', production], ['samples', production]);
    setBusy(false);
    if (input.current) input.current.value = '';
  }
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        accept={ACCEPTED[kind]}
        className="sr-only"
        tabIndex={-1}
        aria-label={label}
        onChange={(e) => void bring(e.target.files)}
      />
      <Button look="quiet" disabled={busy} onClick={() => input.current?.click()}>
        <Upload size={13} /> {busy ? reading : label}
      </Button>
    </>
  );
}

function Thumbnail({ asset }: { asset: Asset }) {
  const [left = 0, top = 0, width = 1, height = 1] = asset.box;
  return (
    <svg viewBox={`${left} ${top} ${width} ${height}`} className="h-16 w-full" aria-hidden="true">
      <path d={asset.path} fill="currentColor" />
    </svg>
  );
}

/** The emblems of the production, to choose one from or to bring one in. */
export function EmblemDialog({
  open,
  none,
  onClose,
  onChoose,
}: {
  open: boolean;
  none?: string | undefined;
  onClose: () => void;
  onChoose: (id: string | null) => void;
}) {
  const { data } = useAssets('emblem');
  return (
    <Dialog
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Emblem"
      about="A drawing whose parts act as letters. Strokes become outlines; text in it must be outlined before."
    >
      <ul aria-label="Emblems" className="mb-3 grid grid-cols-3 gap-2">
        {data?.map((asset) => (
          <li key={asset.id}>
            <button
              type="button"
              className="w-full rounded-lg border p-2 hover:bg-raised"
              onClick={() => onChoose(asset.id)}
            >
              <Thumbnail asset={asset} />
              <span className="mt-1 block truncate text-dim text-xs">{asset.name}</span>
            </button>
          </li>
        ))}
      </ul>
      <div className="flex gap-2">
        <Bring kind="emblem" label="Bring in SVG files" />
        {none && (
          <Button look="quiet" onClick={() => onChoose(null)}>
            Use {none}
          </Button>
        )}
      </div>
    </Dialog>
  );
}

/** Which emblem a step shows. */
export function EmblemField({
  value,
  none,
  onCommit,
}: {
  value: string;
  none?: string | undefined;
  onCommit: (id: string | null) => void;
}) {
  const { data } = useAssets('emblem');
  const [open, setOpen] = useState(false);
  const chosen = data?.find((asset) => asset.id === value);
  return (
    <>
      <button type="button" className={`${inputLook} text-left`} onClick={() => setOpen(true)}>
        {chosen?.name ?? (value === '' && none ? none : 'an emblem no longer listed')}
      </button>
      <EmblemDialog
        open={open}
        none={none}
        onClose={() => setOpen(false)}
        onChoose={(id) => {
          setOpen(false);
          onCommit(id);
        }}
      />
    </>
  );
}

/** Which picture of the production a material shows; one can be brought in on the spot. */
export function PictureField({
  label,
  value,
  none = 'none',
  onCommit,
}: {
  label: string;
  value: string | null;
  none?: string | undefined;
  onCommit: (id: string | null) => void;
}) {
  const { data } = useAssets('picture');
  return (
    <div className="flex gap-1">
      <select
        aria-labelledby={label}
        className={`${inputLook} min-w-0 flex-1`}
        value={value ?? ''}
        onChange={(e) => onCommit(e.target.value || null)}
      >
        <option value="">{none}</option>
        {value && !data?.some((asset) => asset.id === value) && (
          <option value={value}>a picture no longer listed</option>
        )}
        {data?.map((asset) => (
          <option key={asset.id} value={asset.id}>
            {asset.name}
          </option>
        ))}
      </select>
      <Bring kind="picture" label="Bring in" onBrought={(asset) => onCommit(asset.id)} />
    </div>
  );
}
