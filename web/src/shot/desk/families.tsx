import { useQuery } from '@tanstack/react-query';
import { ChevronDown, Pin, Star } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useEffect, useMemo, useState } from 'react';
import { api, ok, type Schemas } from '../../api/client';
import { Button, Hint, inputLook } from '../../ui/controls';
import { useShot } from '../context';
import { Bring } from './assets';

type Family = Schemas['FamilyOut'];
type Sample = Omit<Schemas['SampleOut'], 'box'> & { box: number[] };

const FAVOURITES = 'moss-crown.favourite-families';
const COMPARED = 4;

export function useFamilies() {
  const production = useShot((s) => s.production.id);
  return useQuery({
    queryKey: ['families', production],
    queryFn: () => ok(api.GET('/api/families', { params: { query: { production } } })),
    staleTime: Number.POSITIVE_INFINITY,
    enabled: production !== '',
  });
}

function useSamples(text: string, family: string | undefined, on: boolean) {
  const production = useShot((s) => s.production.id);
  return useQuery({
    queryKey: ['samples', production, text, family],
    queryFn: () => ok(api.GET('/api/families/samples', { params: { query: { text, family, production } } })),
    staleTime: Number.POSITIVE_INFINITY,
    enabled: on,
    placeholderData: (before) => before,
  });
}

/** Words in the shapes of a family, as the core sets them. */
function Words({ sample, height = 30 }: { sample: Sample | undefined; height?: number }) {
  if (!sample) return <span className="block" style={{ height }} />;
  const [left = 0, , width = 0] = sample.box;
  // One scale for all: a cap height is 58 % of the row, ascenders and descenders have room.
  const unit = 1000 / (height * 0.58);
  return (
    <svg
      aria-hidden="true"
      className="block max-w-full"
      height={height}
      width={width / unit + 4}
      viewBox={`${left - unit * 2} ${-1000 - height * unit * 0.21} ${width + unit * 4} ${height * unit}`}
      preserveAspectRatio="xMinYMid meet"
    >
      <path d={sample.path} fill="currentColor" />
    </svg>
  );
}

function useFavourites(): [string[], (id: string) => void] {
  const [ids, setIds] = useState<string[]>(() => {
    try {
      return JSON.parse(localStorage.getItem(FAVOURITES) ?? '[]');
    } catch {
      return [];
    }
  });
  const toggle = (id: string) => {
    const next = ids.includes(id) ? ids.filter((x) => x !== id) : [...ids, id];
    setIds(next);
    localStorage.setItem(FAVOURITES, JSON.stringify(next));
  };
  return [ids, toggle];
}

/** A family, chosen in its own shapes with the user's own words; up to four can be pinned and tried on the stage. */
export function FamilyField({
  value,
  text,
  onCommit,
}: {
  value: string;
  text: string;
  onCommit: (id: string) => void;
}) {
  const { data } = useFamilies();
  const [open, setOpen] = useState(false);
  const [pinned, setPinned] = useState<string[]>([]);
  const chosen = data?.find((f) => f.id === value);
  const pin = (id: string) =>
    setPinned((now) => (now.includes(id) ? now.filter((x) => x !== id) : [...now, id].slice(-COMPARED)));
  return (
    <div className="flex min-w-0 flex-col gap-1">
      <Popover.Root open={open} onOpenChange={setOpen}>
        <Popover.Trigger
          className={`${inputLook} flex items-center justify-between gap-2`}
          aria-label={`Family: ${chosen?.name ?? (value || 'as the block')}`}
        >
          <span className="truncate text-base">{chosen?.name ?? (value || 'as the block')}</span>
          <span className="flex items-center gap-1 text-dim text-xs">
            {chosen?.character}
            <ChevronDown size={13} />
          </span>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            side="top"
            align="start"
            sideOffset={6}
            collisionPadding={12}
            className="z-50 rounded-xl border bg-panel p-2.5 shadow-2xl"
          >
            {data && (
              <Chooser
                families={data}
                value={value}
                text={text}
                pinned={pinned}
                onPin={pin}
                onCommit={(id) => {
                  setOpen(false);
                  if (id !== value) onCommit(id);
                }}
              />
            )}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      {pinned.length > 0 && (
        <div role="group" aria-label="Compare on the stage" className="flex flex-wrap gap-1">
          {pinned.map((id) => (
            <button
              key={id}
              type="button"
              aria-pressed={id === value}
              className={`rounded border px-1.5 text-xs ${id === value ? 'border-moss bg-moss-deep text-ink' : 'text-dim hover:text-ink'}`}
              onClick={() => id !== value && onCommit(id)}
            >
              {data?.find((f) => f.id === id)?.name ?? id}
            </button>
          ))}
        </div>
      )}
    </div>
  );
}

interface ChooserProps {
  families: Family[];
  value: string;
  text: string;
  pinned: string[];
  onPin: (id: string) => void;
  onCommit: (id: string) => void;
}

function Chooser({ families, value, text, pinned, onPin, onCommit }: ChooserProps) {
  const [typed, setTyped] = useState('');
  const [character, setCharacter] = useState('');
  const [script, setScript] = useState('');
  const [only, setOnly] = useState(false);
  const [favourites, toggle] = useFavourites();
  const words = text.split('\n')[0]?.trim().slice(0, 24) || 'Kestrel';
  const { data: samples } = useSamples(words, undefined, true);
  const [looked, setLooked] = useState('');
  const { data: weights } = useSamples(words, looked || value, Boolean(looked || value));
  const of = useMemo(() => new Map(samples?.map((s) => [s.family, s])), [samples]);
  useEffect(() => {
    document.getElementById(`family-${value}`)?.scrollIntoView({ block: 'center' });
  }, [value]);
  const shown = families.filter(
    (f) =>
      (!character || f.character === character) &&
      (!script || f.scripts.includes(script)) &&
      (!only || favourites.includes(f.id)) &&
      f.name.toLowerCase().includes(typed.toLowerCase()),
  );
  const unique = (of: (f: Family) => string[]) => [...new Set(families.flatMap(of))].sort();
  const focused = families.find((f) => f.id === (looked || value));
  return (
    <div className="w-[720px]">
      <div className="mb-2 grid grid-cols-[1fr_1fr_1fr_auto_auto] gap-2">
        <input
          aria-label="Find a family by name"
          placeholder="name"
          className={inputLook}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
        <select
          aria-label="Character"
          className={inputLook}
          value={character}
          onChange={(e) => setCharacter(e.target.value)}
        >
          <option value="">every character</option>
          {unique((f) => [f.character]).map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
        <select
          aria-label="Script"
          className={inputLook}
          value={script}
          onChange={(e) => setScript(e.target.value)}
        >
          <option value="">every script</option>
          {unique((f) => f.scripts).map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
        <Button look="quiet" aria-pressed={only} active={only} onClick={() => setOnly(!only)}>
          <Star size={13} /> favourites
        </Button>
        <Bring kind="font" label="add fonts" />
      </div>
      {/* Of one height, however many are found: what is typed into and pointed at must not move. */}
      <ul aria-label="Families" className="grid h-[52vh] grid-cols-2 content-start gap-1 overflow-auto">
        {shown.map((family) => (
          <li
            key={family.id}
            id={`family-${family.id}`}
            className={`group flex rounded-lg border ${family.id === value ? 'border-moss bg-moss-deep' : 'border-transparent hover:bg-raised'}`}
          >
            <button
              type="button"
              data-family={family.id}
              aria-current={family.id === value}
              className="min-w-0 flex-1 overflow-hidden px-2.5 py-1.5 text-left"
              onClick={() => onCommit(family.id)}
              onFocus={() => setLooked(family.id)}
              onPointerEnter={() => setLooked(family.id)}
            >
              <Words sample={of.get(family.id)} />
              <span className="block truncate text-dim text-xs">
                {family.name}, {family.character}
                {family.axes.length > 0 &&
                  `, ${family.axes.length === 1 ? '1 axis' : `${family.axes.length} axes`}`}
                {of.get(family.id)?.lacking && <span className="text-warn">, lacks letters of yours</span>}
              </span>
            </button>
            <span className="flex flex-col justify-center pr-1">
              <Hint text="Favourite">
                <button
                  type="button"
                  aria-label={`Favourite: ${family.name}`}
                  aria-pressed={favourites.includes(family.id)}
                  className={`rounded p-0.5 ${favourites.includes(family.id) ? 'text-key' : 'text-dim'}`}
                  onClick={() => toggle(family.id)}
                >
                  <Star size={13} fill={favourites.includes(family.id) ? 'currentColor' : 'none'} />
                </button>
              </Hint>
              <Hint text="Pin, to compare up to four on the stage">
                <button
                  type="button"
                  aria-label={`Pin: ${family.name}`}
                  aria-pressed={pinned.includes(family.id)}
                  className={`rounded p-0.5 ${pinned.includes(family.id) ? 'text-moss' : 'text-dim'}`}
                  onClick={() => onPin(family.id)}
                >
                  <Pin size={13} fill={pinned.includes(family.id) ? 'currentColor' : 'none'} />
                </button>
              </Hint>
            </span>
          </li>
        ))}
        {shown.length === 0 && <li className="p-3 text-dim">No family is like that.</li>}
      </ul>
      {focused && (
        <div className="mt-2 border-t pt-2">
          <p className="mb-1 flex justify-between text-dim text-xs">
            <span>
              {focused.name}: {focused.scripts.join(', ')}
            </span>
            {focused.licence && (
              <a className="underline" href={focused.licence} target="_blank" rel="noreferrer">
                licence
              </a>
            )}
          </p>
          <div className="flex h-9 flex-wrap items-center gap-x-5 overflow-hidden">
            {(weights ?? [])
              .filter((w) => w.family === focused.id)
              .map((w) => (
                <Words key={w.weight ?? 0} sample={w} height={24} />
              ))}
          </div>
        </div>
      )}
    </div>
  );
}
