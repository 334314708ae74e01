import { useQuery } from '@tanstack/react-query';
import { ChevronDown } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useEffect, useState } from 'react';
import { api, ok, type Schemas } from '../../api/client';
import { inputLook } from '../../ui/controls';

type Family = Schemas['FamilyOut'];
const loaded = new Set<string>();

function useFaces(families: Family[] | undefined) {
  const [, ready] = useState(0);
  useEffect(() => {
    for (const family of families ?? []) {
      if (loaded.has(family.id)) continue;
      loaded.add(family.id);
      const face = new FontFace(`title-${family.id}`, `url(/api/families/${family.id}/font)`);
      face.load().then(
        () => {
          document.fonts.add(face);
          ready((n) => n + 1);
        },
        () => loaded.delete(family.id),
      );
    }
  }, [families]);
}

/** A family, chosen in its own shapes with the user's own words. */
export function FamilyField({
  value,
  text,
  onCommit,
}: {
  value: string;
  text: string;
  onCommit: (id: string) => void;
}) {
  const { data } = useQuery({
    queryKey: ['families'],
    queryFn: () => ok(api.GET('/api/families')),
    staleTime: Infinity,
  });
  useFaces(data);
  const [open, setOpen] = useState(false);
  const chosen = data?.find((f) => f.id === value);
  const words = text.split('\n')[0]?.trim().slice(0, 18) || 'Kestrel';
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        className={`${inputLook} flex items-center justify-between gap-2`}
        aria-label={`Family: ${chosen?.name ?? value}`}
      >
        <span className="truncate text-base" style={{ fontFamily: `title-${value}` }}>
          {chosen?.name ?? value}
        </span>
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
          className="z-50 rounded-xl border bg-panel p-2 shadow-2xl"
        >
          <div
            role="listbox"
            aria-label="Families"
            className="grid max-h-[70vh] w-[600px] grid-cols-2 gap-1 overflow-auto"
          >
            {data?.map((family) => (
              <button
                key={family.id}
                type="button"
                role="option"
                aria-selected={family.id === value}
                autoFocus={family.id === value}
                className={`rounded-lg border px-3 py-1.5 text-left ${family.id === value ? 'border-moss bg-moss-deep' : 'border-transparent hover:bg-raised'}`}
                onClick={() => {
                  setOpen(false);
                  if (family.id !== value) onCommit(family.id);
                }}
              >
                <span
                  className="block truncate text-2xl leading-tight"
                  style={{ fontFamily: `title-${family.id}` }}
                >
                  {words}
                </span>
                <span className="text-dim text-xs">
                  {family.name}, {family.character}
                </span>
              </button>
            ))}
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
