import { useState } from 'react';
import { Dialog, Field, inputLook } from '../ui/controls';
import { useShot } from './context';
import { useFamilies } from './desk/families';

const FORMATS = [
  ['glb', 'glTF 2.0, binary'],
  ['usd', 'USD, binary'],
  ['obj', 'OBJ with MTL'],
  ['stl', 'STL, binary'],
] as const;

/** The letters as they stand at the playhead, as geometry for another program. */
export function Geometry({ shot, onClose }: { shot: string; onClose: () => void }) {
  const frame = useShot((s) => s.frame);
  const [format, setFormat] = useState<string>('glb');
  const [edge, setEdge] = useState('');
  const length = Number(edge.replace(',', '.'));
  const even = edge.trim() !== '' && length >= 0.005 && length <= 10 ? `&edge=${length}` : '';
  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title="Letters as geometry"
      about={`As they stand at frame ${frame}: metres, one node a letter with its pivot, a material for face and edge.`}
    >
      <div className="grid grid-cols-2 gap-3">
        <Field label="Format">
          <select className={inputLook} value={format} onChange={(e) => setFormat(e.target.value)}>
            {FORMATS.map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </select>
        </Field>
        <Field label="Even triangles, edges of" note="m, empty: as few as possible">
          <input
            className={inputLook}
            inputMode="decimal"
            value={edge}
            placeholder="0.03"
            onChange={(e) => setEdge(e.target.value)}
          />
        </Field>
      </div>
      <a
        className="mt-4 inline-flex h-7 items-center rounded-md bg-moss px-3 font-semibold text-on-moss text-sm"
        href={`/api/shots/${shot}/export?format=${format}&frame=${frame}${even}`}
        download
      >
        Download
      </a>
    </Dialog>
  );
}

/** Every bundled family with its licence. */
export function Licences({ onClose }: { onClose: () => void }) {
  const { data } = useFamilies();
  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title="Licences of the bundled families"
      about="All of them are open: they may be used in any title, also for money."
      wide
    >
      <ul className="columns-3 gap-6">
        {data
          ?.filter((family) => family.licence)
          .map((family) => (
            <li key={family.id} className="border-b py-1">
              <a className="underline" href={family.licence ?? ''} target="_blank" rel="noreferrer">
                {family.name}
              </a>
            </li>
          ))}
      </ul>
    </Dialog>
  );
}
