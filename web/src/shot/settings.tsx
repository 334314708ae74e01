import { useState } from 'react';
import { Button, Dialog, Field, inputLook } from '../ui/controls';
import type { Shot } from './open/state';
import type { Operation } from './values';

export const SIZES: [string, number, number][] = [
  ['1280 × 720', 1280, 720],
  ['1920 × 1080', 1920, 1080],
  ['3840 × 2160', 3840, 2160],
  ['1080 × 1920, upright', 1080, 1920],
  ['1080 × 1080, square', 1080, 1080],
  ['2048 × 858, wide', 2048, 858],
];
export const RATES: [string, number, number][] = [
  ['23.976', 24000, 1001],
  ['24', 24, 1],
  ['25', 25, 1],
  ['29.97', 30000, 1001],
  ['30', 30, 1],
  ['50', 50, 1],
  ['60', 60, 1],
];

export interface Format {
  width: number;
  height: number;
  numerator: number;
  denominator: number;
  first: number;
  last: number;
}

/** Size, frame rate and length: sensible choices, and free entry. */
export function FormatFields({ value, onChange }: { value: Format; onChange: (next: Format) => void }) {
  const size = SIZES.find(([, w, h]) => w === value.width && h === value.height)?.[0] ?? 'own';
  const rate = RATES.find(([, n, d]) => n === value.numerator && d === value.denominator)?.[0] ?? 'own';
  const put = (part: Partial<Format>) => onChange({ ...value, ...part });
  const whole = (name: keyof Format, label: string) => (
    <Field label={label}>
      <input
        type="number"
        className={inputLook}
        value={value[name]}
        onChange={(e) => put({ [name]: Math.round(Number(e.target.value)) })}
      />
    </Field>
  );
  return (
    <div className="grid grid-cols-2 gap-3">
      <Field label="Size">
        <select
          className={inputLook}
          value={size}
          onChange={(e) => {
            const s = SIZES.find(([n]) => n === e.target.value);
            if (s) put({ width: s[1], height: s[2] });
          }}
        >
          {SIZES.map(([n]) => (
            <option key={n}>{n}</option>
          ))}
          <option value="own">own size</option>
        </select>
      </Field>
      <Field label="Frame rate">
        <select
          className={inputLook}
          value={rate}
          onChange={(e) => {
            const r = RATES.find(([n]) => n === e.target.value);
            if (r) put({ numerator: r[1], denominator: r[2] });
          }}
        >
          {RATES.map(([n]) => (
            <option key={n}>{n}</option>
          ))}
          <option value="own">own rate</option>
        </select>
      </Field>
      {whole('width', 'Width, pixels')}
      {whole('height', 'Height, pixels')}
      {whole('numerator', 'Frames a second')}
      {whole('denominator', 'divided by')}
      {whole('first', 'First frame')}
      {whole('last', 'Last frame')}
    </div>
  );
}

export function Settings({
  document,
  onClose,
  onCommit,
}: {
  document: Shot;
  onClose: () => void;
  onCommit: (patch: Operation[], rate: { numerator: number; denominator: number } | null) => void;
}) {
  const [keep, setKeep] = useState<'frames' | 'seconds'>('seconds');
  const before: Format = {
    width: document.width ?? 1280,
    height: document.height ?? 720,
    first: document.first ?? 0,
    last: document.last ?? 72,
    numerator: document.fps?.numerator ?? 25,
    denominator: document.fps?.denominator ?? 1,
  };
  const [value, setValue] = useState(before);
  const been = {
    exposed: document.exposed ?? 1,
    bounded: document.bounded ?? true,
    pixel_shape: document.pixel_shape ?? 1,
  };
  const [whole, setWhole] = useState(been);
  const counted = document.beats ?? { tempo: 0, first: 0, bar: 4 };
  const [beats, setBeats] = useState(counted);
  const marked = document.markers ?? [];
  const [markers, setMarkers] = useState(marked);
  const rated = value.numerator !== before.numerator || value.denominator !== before.denominator;
  const paths: [keyof Format, string][] = [
    ['width', '/width'],
    ['height', '/height'],
    ['numerator', '/fps/numerator'],
    ['denominator', '/fps/denominator'],
    ['first', '/first'],
    ['last', '/last'],
  ];
  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title="Size, frame rate and length"
      about="Everything that counts frames moves along when a change of frame rate keeps the seconds."
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          const seconds = keep === 'seconds' && rated;
          onCommit(
            [
              ...paths
                .filter(([name]) => value[name] !== before[name])
                .filter(([name]) => !seconds || !(name === 'numerator' || name === 'denominator'))
                .map(([name, path]): Operation => ({ op: 'replace', path, value: value[name] })),
              ...(['exposed', 'bounded', 'pixel_shape'] as const)
                .filter((name) => whole[name] !== been[name])
                .map((name): Operation => ({ op: 'replace', path: `/${name}`, value: whole[name] })),
              ...changed('/beats', beats, counted),
              ...changed('/markers', markers, marked),
            ],
            seconds ? { numerator: value.numerator, denominator: value.denominator } : null,
          );
          onClose();
        }}
      >
        <FormatFields value={value} onChange={setValue} />
        {rated && (
          <fieldset className="mt-3 rounded-md border p-2">
            <legend className="px-1 text-dim text-xs">The new frame rate keeps</legend>
            {(['seconds', 'frames'] as const).map((what) => (
              <label key={what} className="mr-4 inline-flex items-center gap-1.5 text-sm">
                <input type="radio" name="keep" checked={keep === what} onChange={() => setKeep(what)} />
                {what === 'seconds'
                  ? 'the seconds: all looks as it did'
                  : 'the frames: all runs faster or slower'}
              </label>
            ))}
          </fieldset>
        )}
        <div className="mt-3 grid grid-cols-2 items-end gap-3">
          <Field label="Pixels are wide, by their height">
            <input
              type="number"
              step="any"
              min={0.1}
              max={10}
              className={inputLook}
              value={whole.pixel_shape}
              onChange={(e) => setWhole({ ...whole, pixel_shape: Number(e.target.value) })}
            />
          </Field>
          <Field label="Everything moves">
            <select
              className={inputLook}
              value={whole.exposed}
              onChange={(e) => setWhole({ ...whole, exposed: Number(e.target.value) })}
            >
              <option value={1}>on every frame</option>
              <option value={2}>on twos</option>
              <option value={3}>on threes</option>
              {been.exposed > 3 && <option value={been.exposed}>every {been.exposed} frames</option>}
            </select>
          </Field>
          <label
            className="inline-flex items-center gap-1.5 text-sm"
            title="A glossy floor that mirrors a bright lamp in a letter gets darker by it; without it such places need many more samples."
          >
            <input
              type="checkbox"
              checked={whole.bounded}
              onChange={(e) => setWhole({ ...whole, bounded: e.target.checked })}
            />
            renders without sparks
          </label>
        </div>
        <div className="mt-3 grid grid-cols-3 gap-3">
          <Field label="Beats a minute, 0: none">
            <input
              type="number"
              step="any"
              min={0}
              max={400}
              className={inputLook}
              value={beats.tempo}
              onChange={(e) => setBeats({ ...beats, tempo: Number(e.target.value) })}
            />
          </Field>
          <Field label="One at frame">
            <input
              type="number"
              step="any"
              className={inputLook}
              value={beats.first}
              onChange={(e) => setBeats({ ...beats, first: Number(e.target.value) })}
            />
          </Field>
          <Field label="Beats a bar">
            <input
              type="number"
              min={1}
              max={16}
              className={inputLook}
              value={beats.bar}
              onChange={(e) => setBeats({ ...beats, bar: Math.round(Number(e.target.value)) })}
            />
          </Field>
        </div>
        <Markers markers={markers} onChange={setMarkers} />
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={onClose}>Leave as it was</Button>
          <Button look="main" type="submit">
            Set
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

function changed(path: string, value: unknown, before: unknown): Operation[] {
  return JSON.stringify(value) === JSON.stringify(before) ? [] : [{ op: 'add', path, value }];
}

type Marker = NonNullable<Shot['markers']>[number];

/** The markers of the shot with their names; they are set on the sheet too. */
function Markers({ markers, onChange }: { markers: Marker[]; onChange: (next: Marker[]) => void }) {
  const put = (k: number, part: Partial<Marker>) =>
    onChange(markers.map((m, i) => (i === k ? { ...m, ...part } : m)));
  return (
    <fieldset className="mt-3 rounded-md border p-2">
      <legend className="px-1 text-dim text-xs">Markers (J sets one at the playhead)</legend>
      <ul className="max-h-32 space-y-1 overflow-y-auto">
        {markers.map((marker, k) => (
          <li key={k} className="flex gap-1.5">
            <input
              type="number"
              step="any"
              aria-label={`Marker ${k + 1}: frame`}
              className={`${inputLook} w-24`}
              value={marker.frame}
              onChange={(e) => put(k, { frame: Number(e.target.value) })}
            />
            <input
              aria-label={`Marker ${k + 1}: name`}
              placeholder="its name"
              maxLength={40}
              className={inputLook}
              value={marker.name}
              onChange={(e) => put(k, { name: e.target.value })}
            />
            <Button
              look="quiet"
              aria-label={`Marker ${k + 1}: take away`}
              onClick={() => onChange(markers.filter((_, i) => i !== k))}
            >
              ×
            </Button>
          </li>
        ))}
      </ul>
      <Button look="quiet" onClick={() => onChange([...markers, { frame: 0, name: '' }])}>
        add a marker
      </Button>
    </fieldset>
  );
}
