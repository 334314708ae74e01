import { useQuery } from '@tanstack/react-query';
import { api, ok } from '../api/client';
import type { Opened } from './commands';
import { useShot, useShotStore } from './context';
import { useFamilies } from './desk/families';
import { fieldsOf } from './desk/fields';
import { KITS } from './desk/lights';
import { onFaceAndEdge, useMaterials } from './desk/materials';
import { addStep } from './recipe/adding';
import { addable, stepTitle } from './recipe/steps';

/** Something that is found by its name or by what is said of it, and done. */
export interface Found {
  id: string;
  group: string;
  name: string;
  also: string; // words that find it too
  run: () => void;
}

/** All that can be found beside commands, while it is looked for. */
export function useFindings(looking: boolean, open: (what: Opened) => void): Found[] {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const chosen = useShot((s) => s.step);
  const production = useShot((s) => s.production.id);
  const { data: families } = useFamilies();
  const { data: materials } = useMaterials();
  const still = { enabled: looking, staleTime: Number.POSITIVE_INFINITY };
  const motions = useQuery({ queryKey: ['book'], queryFn: () => ok(api.GET('/api/motions')), ...still });
  const looks = useQuery({
    queryKey: ['looks', production],
    queryFn: () => ok(api.GET('/api/productions/{production}/looks', { params: { path: { production } } })),
    enabled: looking && production !== '',
  });
  if (!looking || !document) return [];
  const steps = document.steps ?? [];
  const block = steps.findIndex((s) => s.kind === 'block' && (s.id === chosen || chosen === ''));
  const first = block >= 0 ? block : steps.findIndex((s) => s.kind === 'block');
  const worn = steps.findIndex((s) => s.kind === 'material' && s.id === chosen);
  const material = worn >= 0 ? worn : steps.findIndex((s) => s.kind === 'material');
  return [
    ...steps.map((step) => ({
      id: `step ${step.id}`,
      group: 'Steps',
      name: stepTitle(step),
      also: `step ${step.kind}`,
      run: () => store.enter(step.id),
    })),
    ...steps.flatMap((step) =>
      fieldsOf(step).map((field) => ({
        id: `field ${step.id} ${field.path}`,
        group: 'Values',
        name: `${field.label}, ${stepTitle(step)}`,
        also: `${field.group ?? ''} ${field.options?.map((o) => o.name).join(' ') ?? ''}`,
        run: () => store.enter(step.id, field.path),
      })),
    ),
    ...addable(steps)
      .filter(({ kind }) => kind !== 'emblem')
      .map(({ kind, title, about }) => ({
        id: `add ${kind}`,
        group: 'Add a step',
        name: `Add: ${title}`,
        also: about,
        run: () => addStep(store, kind),
      })),
    ...(motions.data ?? []).map((motion) => ({
      id: `motion ${motion.id}`,
      group: 'Motions and rigs',
      name: `${motion.group === 'rig' ? 'Rig' : 'Motion'}: ${motion.name}`,
      also: `${motion.group} ${motion.about}`,
      run: () => (motion.texts ? open('motions') : void store.setMotion(motion.id, [], false)),
    })),
    ...(materials ?? []).map((one) => ({
      id: `material ${one.id}`,
      group: 'Materials',
      name: `Material: ${one.name}`,
      also: one.group,
      run: () => material >= 0 && store.edit(onFaceAndEdge(material, one), one.name),
    })),
    ...(looks.data ?? []).map((look) => ({
      id: `look ${look.id}`,
      group: 'Looks',
      name: `Look: ${look.name}`,
      also: '',
      run: () => void store.wear(look.id, ['material', 'environment', 'lights', 'stage']),
    })),
    ...(families ?? []).map((family) => ({
      id: `family ${family.id}`,
      group: 'Families',
      name: `Family: ${family.name}`,
      also: family.character,
      run: () =>
        first >= 0 &&
        store.edit([{ op: 'replace', path: `/steps/${first}/family`, value: family.id }], family.name),
    })),
    ...KITS.map(([kit, name, about]) => ({
      id: `kit ${kit}`,
      group: 'Kits of lights',
      name: `Light: ${name}`,
      also: about,
      run: () => void store.light({ kit }),
    })),
  ];
}
