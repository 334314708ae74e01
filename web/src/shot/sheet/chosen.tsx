import { useShot, useShotStore } from '../context';
import { NumberField } from '../desk/number';
import { at, isKeyed, type Operation } from '../values';
import { type Chosen, countChosen, shifted } from './grips';

const isWhole = (frame: number) => Math.abs(frame - Math.round(frame)) < 1e-6;

/** The patch that puts chosen keys onto whole frames; one whose frame is another's already stays where it is. */
export function ontoWholeFrames(document: unknown, chosen: Chosen): Operation[] {
  return Object.entries(chosen).flatMap(([path, frames]) => {
    const value = at(document, path);
    if (!isKeyed(value)) return [];
    const taken = new Set(value.keys.map((k) => k.frame));
    return value.keys.flatMap((key, k): Operation[] => {
      const to = Math.round(key.frame);
      if (!frames.includes(key.frame) || isWhole(key.frame) || taken.has(to)) return [];
      taken.add(to);
      return [{ op: 'replace', path: `${path}/keys/${k}/frame`, value: to }];
    });
  });
}

/** What can be said of the chosen keys and done with them: one shows its frame and its value as fields. */
export function ChosenKeys({ chosen }: { chosen: Chosen }) {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const count = countChosen(chosen);
  const [path = '', frames = []] = Object.entries(chosen).find(([, f]) => f.length) ?? [];
  const value = at(document, path);
  const index = isKeyed(value) ? value.keys.findIndex((k) => k.frame === frames[0]) : -1;
  const key = isKeyed(value) ? value.keys[index] : undefined;
  const whole = ontoWholeFrames(document, chosen);
  const parts = Array.isArray(key?.value) ? (key.value as number[]) : [key?.value];
  const name = path.split('/').slice(3).join(' ');
  const put = (k: number, v: number) =>
    store.edit(
      [
        {
          op: 'replace',
          path: `${path}/keys/${index}/value`,
          value: Array.isArray(key?.value) ? parts.map((old, i) => (i === k ? v : old)) : v,
        },
      ],
      `key of ${name}`,
    );
  return (
    <>
      {count === 1 && key && (
        <span className="flex items-center gap-1.5 text-ink">
          {name}, frame
          <span className="w-16">
            <NumberField
              label="Frame of the key"
              value={key.frame}
              step={1}
              decimals={2}
              min={-1e6}
              max={1e6}
              onCommit={(frame) => {
                void store.moveKeys({ chosen, by: frame - key.frame });
                store.chooseKeys(shifted(chosen, frame - key.frame));
              }}
            />
          </span>
          {parts.every((part) => typeof part === 'number') && (
            <>
              is
              {parts.map((part, k) => (
                <span key={k} className="w-16">
                  <NumberField
                    label={`Value of the key${parts.length > 1 ? ` ${k + 1}` : ''}`}
                    value={part as number}
                    decimals={3}
                    onCommit={(v) => put(k, v)}
                  />
                </span>
              ))}
            </>
          )}
        </span>
      )}
      {whole.length > 0 && (
        <button
          type="button"
          className="text-moss underline"
          onClick={() => {
            store.edit(whole, 'onto whole frames');
            store.chooseKeys(
              Object.fromEntries(
                Object.entries(chosen).map(([p, all]) => [p, all.map((f) => Math.round(f))]),
              ),
            );
          }}
        >
          onto whole frames
        </button>
      )}
      <span role="status">
        {count} {count === 1 ? 'key' : 'keys'} chosen: drag, Alt drags a copy, Delete removes, R reverses
      </span>
    </>
  );
}
