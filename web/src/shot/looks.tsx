import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Download, Trash2, Upload } from 'lucide-react';
import { useRef, useState } from 'react';
import { api, ok, type Schemas } from '../api/client';
import { renew } from '../api/renew';
import { Button, Dialog, inputLook } from '../ui/controls';
import { SlowPicture } from '../ui/slow-picture';
import { useShot, useShotStore } from './context';

type LookOut = Schemas['LookOut'];
type Part = NonNullable<Schemas['Wearing']['parts']>[number];

const PARTS: [Part, string][] = [
  ['material', 'materials'],
  ['environment', 'environment'],
  ['lights', 'lights'],
  ['stage', 'floor and wall'],
];

/** Looks as pictures of the user's own title; the last two that were chosen stand side by side. */
export function Looks({ production, onClose }: { production: string; onClose: () => void }) {
  const store = useShotStore();
  const client = useQueryClient();
  const revision = useShot((s) => s.revision);
  const [frame] = useState(() =>
    Math.max(store.getState().frame, Math.ceil(store.getState().draft?.rest ?? 0)),
  );
  const [chosen, setChosen] = useState<string[]>([]);
  const [parts, setParts] = useState<Part[]>(PARTS.map(([part]) => part));
  const [name, setName] = useState('');
  const file = useRef<HTMLInputElement>(null);
  const key = ['looks', production];
  const { data } = useQuery({
    queryKey: key,
    queryFn: () => ok(api.GET('/api/productions/{production}/looks', { params: { path: { production } } })),
  });
  const again = () => renew(client, key);
  const keep = useMutation({
    mutationFn: () =>
      ok(
        api.POST('/api/shots/{shot}/looks', {
          params: { path: { shot: store.getState().id } },
          body: { name: name.trim() || 'Look', frame },
        }),
      ),
    onSuccess: (look) => {
      setName('');
      choose(look.id);
      void again();
    },
  });
  const bring = useMutation({
    mutationFn: async (chosenFile: File) =>
      ok(
        api.POST('/api/productions/{production}/looks', {
          params: { path: { production } },
          body: JSON.parse(await chosenFile.text()),
        }),
      ),
    onSuccess: again,
  });
  const remove = useMutation({
    mutationFn: async (look: string) => {
      await api.DELETE('/api/productions/{production}/looks/{look}', {
        params: { path: { production, look } },
      });
    },
    onSuccess: again,
  });
  const choose = (id: string) => setChosen((before) => [...before.filter((b) => b !== id), id].slice(-2));
  const picture = (id: string, width: number) =>
    `/api/shots/${store.getState().id}/looks/${id}?frame=${frame}&width=${width}&revision=${revision}`;
  const nameOf = (id: string) => data?.find((l) => l.id === id)?.name ?? '';
  const wrong = keep.error ?? bring.error ?? remove.error;
  return (
    <Dialog
      open
      wide
      onOpenChange={(o) => !o && onClose()}
      title="Looks"
      about="Your own title in each. Choose one, choose another to compare, put one on."
    >
      <div className="flex gap-4">
        <ul
          aria-label="Looks"
          className="grid max-h-[58vh] flex-1 auto-rows-max grid-cols-3 content-start gap-2 overflow-y-auto pr-1"
        >
          {data?.map((look) => (
            <LookCard
              key={look.id}
              look={look}
              src={picture(look.id, 240)}
              held={chosen.includes(look.id)}
              onChoose={() => choose(look.id)}
              onRemove={look.own ? () => remove.mutate(look.id) : undefined}
            />
          ))}
        </ul>
        <div className="w-[360px] shrink-0">
          {chosen.length === 0 && <p className="text-dim text-sm">Choose a look to see it larger here.</p>}
          {[...chosen].reverse().map((id) => (
            <figure key={id} className="mb-3">
              <SlowPicture
                first
                src={picture(id, 480)}
                alt={`The title in ${nameOf(id)}`}
                className="aspect-video w-full rounded-lg border bg-raised object-contain"
              />
              <figcaption className="mt-1 flex items-center justify-between text-sm">
                {nameOf(id)}
                <Button
                  look="main"
                  onClick={() => {
                    store.wear(id, parts);
                    onClose();
                  }}
                  disabled={!parts.length}
                >
                  Put on {nameOf(id)}
                </Button>
              </figcaption>
            </figure>
          ))}
          <fieldset className="flex flex-wrap gap-x-3 gap-y-1 text-sm">
            <legend className="mb-1 text-dim text-xs">Of a look take</legend>
            {PARTS.map(([part, label]) => (
              <label key={part} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="accent-moss"
                  checked={parts.includes(part)}
                  onChange={(e) =>
                    setParts(e.target.checked ? [...parts, part] : parts.filter((p) => p !== part))
                  }
                />
                {label}
              </label>
            ))}
          </fieldset>
        </div>
      </div>
      {wrong && (
        <p role="alert" className="mt-2 text-sm text-warn">
          {wrong instanceof Error ? wrong.message : 'that did not work'}
        </p>
      )}
      <form
        className="mt-3 flex items-center gap-2 border-t pt-3"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate();
        }}
      >
        <input
          className={`${inputLook} max-w-60`}
          aria-label="Name of the look"
          placeholder="Name of this shot's look"
          maxLength={200}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" disabled={keep.isPending}>
          Keep this shot's look
        </Button>
        <span className="flex-1" />
        <input
          ref={file}
          type="file"
          accept=".json"
          hidden
          data-testid="look-file"
          onChange={(e) => {
            const [first] = e.target.files ?? [];
            if (first) bring.mutate(first);
            e.target.value = '';
          }}
        />
        <Button onClick={() => file.current?.click()}>
          <span className="flex items-center gap-1.5">
            <Upload size={13} /> Bring in a look
          </span>
        </Button>
        <Button look="quiet" onClick={onClose}>
          Close
        </Button>
      </form>
    </Dialog>
  );
}

function LookCard({
  look,
  src,
  held,
  onChoose,
  onRemove,
}: {
  look: LookOut;
  src: string;
  held: boolean;
  onChoose: () => void;
  onRemove: (() => void) | undefined;
}) {
  const icon = 'rounded p-1 text-dim hover:bg-raised hover:text-ink';
  return (
    <li className={`overflow-hidden rounded-lg border ${held ? 'border-moss' : ''}`}>
      <button type="button" className="block w-full text-left" aria-pressed={held} onClick={onChoose}>
        <SlowPicture src={src} alt="" className="aspect-video w-full bg-raised object-contain" />
        <span className="block truncate px-2 pt-1 text-sm">{look.name}</span>
      </button>
      <div className="flex items-center justify-end px-1 pb-0.5">
        <a
          className={icon}
          href={`/api/looks/${look.id}`}
          download
          aria-label={`Export ${look.name}`}
          title="as a file"
        >
          <Download size={13} />
        </a>
        {onRemove && (
          <button type="button" className={icon} aria-label={`Remove ${look.name}`} onClick={onRemove}>
            <Trash2 size={13} />
          </button>
        )}
      </div>
    </li>
  );
}
