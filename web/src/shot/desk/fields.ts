import type { Schemas } from '../../api/client';
import { BOUNDS, FACTS } from '../../api/facts';
import type { Step } from '../open/state';
import { type Deformer, deforms, type Reaching } from '../reaching';
import { at, isKeyed } from '../values';

type Family = Schemas['FamilyOut'];

/** How a value is edited. What it means, which bounds hold and what there is to choose from is the core's. */
export type FieldKind =
  | 'number'
  | 'vector'
  | 'choice'
  | 'switch'
  | 'feature'
  | 'colour'
  | 'text'
  | 'family'
  | 'emblem'
  | 'picture'
  | 'ease';

export interface FieldSpec {
  path: string;
  label: string;
  kind: FieldKind;
  unit?: string;
  step?: number;
  min?: number;
  max?: number;
  decimals?: number;
  parts?: string[];
  options?: { value: string; name: string }[];
  names?: Record<string, string>; // of options, where those say more
  own?: string; // how an option is called that is the user's
  wide?: boolean;
  group?: string;
  plain?: boolean; // not a value: it cannot be keyed
  whole?: boolean; // a choice among whole numbers
  none?: string; // what it is called when nothing is chosen
  start?: unknown; // what is shown while the document has no such member
}

const number = (path: string, label: string, more: Partial<FieldSpec> = {}): FieldSpec => ({
  path,
  label,
  kind: 'number',
  ...more,
});
const vector = (path: string, label: string, more: Partial<FieldSpec> = {}): FieldSpec => ({
  path,
  label,
  kind: 'vector',
  parts: ['x', 'y', 'z'],
  ...more,
});
/** One of what the core offers, by its names where those say more than the words of the document. */
const choice = (path: string, label: string, names: Record<string, string> = {}): FieldSpec => ({
  path,
  label,
  kind: 'choice',
  names,
});
/** One of some that the core does not list. */
const among = (path: string, label: string, names: [string, string][]): FieldSpec => ({
  path,
  label,
  kind: 'choice',
  options: names.map(([value, name]) => ({ value, name })),
});

/** A field with the bounds and options that the core has for the value at a path of a step, where it has none itself. */
function bounded(field: FieldSpec, step: Pick<Step, 'kind'>, path: string): FieldSpec {
  const bound = BOUNDS[step.kind][boundPath(step, path)];
  if (!bound) return field;
  const { least, most, above, choices } = bound;
  // What has to be above a number is so by the smallest that is shown.
  const min = least !== undefined && above ? least + 10 ** -(field.decimals ?? 2) : least;
  const found = { ...field };
  if (min !== undefined) found.min ??= min;
  if (most !== undefined) found.max ??= most;
  if (choices && field.kind === 'choice') {
    const named = choices.map((value) => ({
      value,
      name: field.names?.[value] ?? value.replaceAll('_', ' '),
    }));
    const value = at(step, path);
    if (field.own && typeof value === 'string' && !choices.includes(value)) {
      named.push({ value, name: field.own });
    }
    found.options ??= named;
  }
  return found;
}

/** The path of a value as bounds are found by it: an element of a list is named by its kind, or by a star. */
function boundPath(step: object, path: string): string {
  let node: unknown = step;
  const tokens = path.split('/').slice(1);
  return tokens.reduce((whole, token) => {
    node = (node as Record<string, unknown> | undefined)?.[token];
    const kind = (node as { kind?: string } | undefined)?.kind;
    return `${whole}/${/^\d+$/.test(token) ? (kind ?? '*') : token}`;
  }, '');
}

const PLACE = [
  vector('/move', 'Move', { unit: 'm', step: 0.02 }),
  vector('/turn', 'Turn', { unit: '°', step: 1, decimals: 1 }),
  vector('/scale', 'Scale', { step: 0.01 }),
];

const PATTERNS = {
  plain: 'none',
  cast: 'sand cast',
  blotches: 'weathered patches',
  chips: 'chips of stone',
  strata: 'layers of stone',
  rings: 'timber',
  crackle: 'crackled glaze',
  dust: 'chalk dust',
  clumps: 'moss',
  depths: 'cloudy',
};

const material = (path: string): FieldSpec[] => [
  { path: `${path}/colour`, label: 'Colour', kind: 'colour' },
  number(`${path}/metal`, 'Metal'),
  number(`${path}/roughness`, 'Roughness'),
  number(`${path}/ior`, 'Index of refraction'),
  number(`${path}/coat`, 'Clear coat'),
  number(`${path}/coat_roughness`, 'Roughness of the coat'),
  number(`${path}/sheen`, 'Sheen'),
  number(`${path}/glow`, 'Glow', { step: 0.05 }),
  { path: `${path}/glow_colour`, label: 'Colour of the glow', kind: 'colour' },
  number(`${path}/brushed`, 'Brushed'),
  number(`${path}/brush_turn`, 'Brushed along', { unit: '°', step: 1, decimals: 1 }),
  number(`${path}/transmission`, 'Glass'),
  number(`${path}/tint_depth`, 'Coloured after', { unit: 'm', step: 0.01 }),
  { path: `${path}/thin`, label: 'Thin like a sheet', kind: 'switch' },
  number(`${path}/opacity`, 'Opacity'),
];

/** The parts of a letter that may have a material, and how their tabs are called. */
export const PARTS = [
  ['face', 'Face'],
  ['edge', 'Edge'],
  ['bevel', 'Bevel'],
  ['rear_bevel', 'Rear bevel'],
  ['rear', 'Rear'],
  ['inside', 'Inside'],
] as const;
export type PartName = (typeof PARTS)[number][0];

/** Face and edge every letter has; the other parts are theirs until they get a material of their own. */
export const isMain = (part: PartName) => part === 'face' || part === 'edge';

/** The name of a part in a sentence. */
export const partName = (part: PartName) => part.replace('_', ' ');

type Light = Schemas['Light'];

function lightFields(light: Light, k: number): FieldSpec[] {
  const at = `/lights/${k}`;
  const shape = light.shape ?? 'rectangle';
  const any = isKeyed(shape);
  const sun = shape === 'sun';
  return [
    choice(`${at}/shape`, 'Shape'),
    number(`${at}/power`, 'Power', { unit: 'W', step: 10, decimals: 0 }),
    number(`${at}/stops`, 'Stops', { step: 0.05 }),
    { path: `${at}/colour`, label: 'Colour', kind: 'colour' },
    number(`${at}/white`, 'Colour temperature', {
      unit: 'K',
      step: 50,
      decimals: 0,
    }),
    ...(any || sun ? [number(`${at}/angle`, 'Width in the sky', { unit: '°' })] : []),
    ...(any || !sun ? [number(`${at}/width`, 'Width', { unit: 'm', step: 0.05 })] : []),
    ...(any || (!sun && shape !== 'ball')
      ? [number(`${at}/height`, 'Height', { unit: 'm', step: 0.05 })]
      : []),
    vector(`${at}/place`, 'Place', { unit: 'm', step: 0.05 }),
    vector(`${at}/aim`, 'Aim', { unit: 'm', step: 0.05 }),
    ...(any || !sun
      ? [
          number(`${at}/spot`, 'Cone', { unit: '°, 0: none', step: 1, decimals: 1 }),
          number(`${at}/soft`, 'Soft edge of the cone'),
          number(`${at}/limit`, 'Reaches', { unit: 'm, 0: all', step: 0.1 }),
        ]
      : []),
    { path: `${at}/shadow`, label: 'Shadows', kind: 'switch' },
    number(`${at}/on_letters_dark`, 'Dark on letters'),
    number(`${at}/on_stage_dark`, 'Dark on the stage'),
    number(`${at}/stack`, 'Stack of shadows', { step: 1, decimals: 0 }),
    ...(any || (light.stack ?? 1) !== 1
      ? [number(`${at}/spread`, 'Each wider by', { unit: '×', step: 0.05 })]
      : []),
    { path: `${at}/on_faces`, label: 'Lights faces', kind: 'switch' },
    { path: `${at}/on_edges`, label: 'Lights edges', kind: 'switch' },
    { path: `${at}/on_stage`, label: 'Lights the stage', kind: 'switch' },
    { path: `${at}/mirrored_letters`, label: 'Mirrored in letters', kind: 'switch' },
    { path: `${at}/mirrored_stage`, label: 'Mirrored in the stage', kind: 'switch' },
  ];
}

/** A texture's values; `names` says what they mean for its pattern, and the main ones come first. */
function textureFields(path: string, pattern: unknown, names: Record<string, string>): FieldSpec[] {
  const own = (member: string, fallback: string) => names[member] ?? fallback;
  const values: FieldSpec[] = [
    number(`${path}/scale`, own('scale', 'Scale'), {
      unit: 'm',
      step: 0.01,
      decimals: 3,
    }),
    number(`${path}/amount`, own('amount', 'Second layer')),
    number(`${path}/contrast`, own('contrast', 'Hard borders')),
    number(`${path}/tone`, own('tone', 'Light and dark')),
    number(`${path}/relief`, own('relief', 'Relief')),
    number(`${path}/wear`, own('wear', 'Worn on bevels')),
    { path: `${path}/colour`, label: 'Second colour', kind: 'colour' },
    number(`${path}/metal`, 'Second: metal'),
    number(`${path}/roughness`, 'Second: roughness'),
    choice(`${path}/place`, 'Runs', { title: 'through the title', letter: 'afresh on each letter' }),
    number(`${path}/turn`, 'Turned', { unit: '°', step: 1, decimals: 1 }),
    vector(`${path}/shift`, 'Shifted', { unit: 'm', step: 0.02 }),
  ];
  return [choice(`${path}/pattern`, 'Texture', PATTERNS), ...(pattern === 'plain' ? [] : values)];
}

type SheetName = 'floor_material' | 'wall_material';

/** The materials that a stage of its shape has, and what they are of. */
export function sheetsOf({ shape }: Extract<Step, { kind: 'stage' }>): [SheetName, string][] {
  if (shape === 'sweep') return [['wall_material', 'Sweep']];
  if (shape === 'steps') return [['floor_material', 'Steps']];
  if (shape === 'globe') return [['floor_material', 'Globe']];
  return [
    ['floor_material', 'Floor'],
    ['wall_material', shape === 'card' ? 'Card' : 'Wall'],
  ];
}

/** What a stage of the chosen shape is measured by; of a keyed one all of it. */
function stageFields({ shape }: Extract<Step, { kind: 'stage' }>): FieldSpec[] {
  const any = typeof shape !== 'string';
  const of = (...shapes: string[]) => any || shapes.includes(shape);
  const metres = { unit: 'm', step: 0.05 };
  const behind =
    shape === 'steps' ? 'Steps behind by' : shape === 'card' ? 'Card behind by' : 'Wall behind by';
  const own: [boolean, FieldSpec][] = [
    [of('corner', 'card'), { path: '/floor', label: 'Floor', kind: 'switch' }],
    [of('corner'), { path: '/wall', label: 'Back wall', kind: 'switch' }],
    [of('corner', 'sweep', 'steps', 'card'), number('/wall_distance', behind, { ...metres })],
    [of('sweep', 'globe'), number('/radius', 'Radius', metres)],
    [of('globe'), vector('/globe_place', 'Its top', { unit: 'm', step: 0.05, decimals: 2 })],
    [of('steps'), number('/steps', 'Steps', { step: 1, decimals: 0 })],
    [of('steps'), number('/rise', 'Height of a step', metres)],
    [of('steps'), number('/run', 'Depth of a step', metres)],
    [of('card'), number('/card_width', 'Width of the card', metres)],
    [of('card'), number('/card_height', 'Height of the card', metres)],
  ];
  return own.filter(([asked]) => asked).map(([, field]) => field);
}

/** Own pictures on a material; what they mean is asked only where there are any. */
function pictureFields(path: string, own: Schemas['Pictures'] | undefined): FieldSpec[] {
  const at = `${path}/pictures`;
  const map = (name: string, label: string): FieldSpec => ({
    path: `${at}/${name}`,
    label,
    kind: 'picture',
    none: 'none',
  });
  const some = own?.colour || own?.roughness || own?.bump;
  return [
    map('colour', 'Picture as colour'),
    map('roughness', 'as roughness'),
    map('bump', 'as bumps'),
    ...(some
      ? [
          number(`${at}/width`, 'Picture width', {
            unit: 'm',
            step: 0.02,
            decimals: 3,
          }),
          choice(`${at}/tiling`, 'Goes on', { mirror: 'mirrored', once: 'not: once' }),
          choice(`${path}/texture/place`, 'Lies', { title: 'on the title', letter: 'on each letter' }),
        ]
      : []),
    ...(own?.colour
      ? [
          number(`${at}/mix`, 'Colour: share'),
          { path: `${at}/tint`, label: 'Colour: tint', kind: 'colour' } as FieldSpec,
        ]
      : []),
    ...(own?.roughness ? [number(`${at}/rough`, 'Roughness: share')] : []),
    ...(own?.bump ? [number(`${at}/height`, 'Bumps: height')] : []),
    ...(some
      ? [
          number(`${at}/turn`, 'Picture turned', { unit: '°', step: 1, decimals: 1 }),
          vector(`${at}/shift`, 'Picture shifted', { unit: 'm', step: 0.02 }),
        ]
      : []),
  ];
}

const grouped = (group: string, fields: FieldSpec[]): FieldSpec[] => fields.map((f) => ({ ...f, group }));

/** A material, its texture and its pictures, in tabs of their own. */
function surfaceFields(
  path: string,
  title: string,
  own: Schemas['Material'] | null | undefined,
  controls: Record<string, Record<string, string>> | undefined,
): FieldSpec[] {
  const pattern = own?.texture?.pattern ?? 'plain';
  const names = typeof pattern === 'string' ? (controls?.[pattern] ?? {}) : {};
  return [
    ...grouped(title, material(path)),
    ...grouped(`${title} texture`, textureFields(`${path}/texture`, pattern, names)),
    ...grouped(`${title} pictures`, pictureFields(path, own?.pictures)),
  ];
}

/** What a pattern or an override may change of its letters; `path` leads to it. */
export const letteringFields = (): FieldSpec[] =>
  LETTERING.map((field) => bounded(field, { kind: 'block' }, `/patterns/*${field.path}`));

const LETTERING: FieldSpec[] = [
  number('/size', 'Size', { unit: 'times' }),
  number('/tracking', 'Space after', {
    unit: '1/1000 em',
    step: 1,
    decimals: 0,
  }),
  vector('/shift', 'Shift', { unit: 'cap heights', step: 0.01 }),
  number('/turn', 'Turn', { unit: '°', step: 1, decimals: 1 }),
  number('/weight', 'Weight', { unit: '1/1000 em', step: 0.5, decimals: 1 }),
  number('/depth', 'Depth', { unit: 'times' }),
  { path: '/family', label: 'Family', kind: 'family', wide: true },
];

const LANGUAGES: [string, string][] = [
  ['', 'from the text'],
  ['nl', 'Dutch'],
  ['tr', 'Turkish'],
  ['ro', 'Romanian'],
  ['pl', 'Polish'],
  ['ca', 'Catalan'],
  ['sr', 'Serbian'],
  ['bg', 'Bulgarian'],
  ['fa', 'Persian'],
  ['ur', 'Urdu'],
  ['mr', 'Marathi'],
  ['ja', 'Japanese'],
];

/** An edge is measured in metres, or in shares of a stem. */
const measured = (own: { of_stem?: unknown } | undefined) =>
  own?.of_stem === true
    ? { unit: 'of a stem', step: 0.005, decimals: 3 }
    : { unit: 'm', step: 0.002, decimals: 3 };

const edge = (path: string, own: { of_stem?: unknown } | undefined): FieldSpec[] => [
  choice(`${path}/profile`, 'Edge profile'),
  number(`${path}/width`, 'Edge width', measured(own)),
  number(`${path}/height`, 'Edge height', measured(own)),
  { path: `${path}/of_stem`, label: 'Follows the stem', kind: 'switch' },
  number(`${path}/segments`, 'Segments', { step: 1, decimals: 0 }),
];

const TUBES: FieldSpec[] = [
  choice('/tubes/section', 'Section', { flat: 'flat ribbon' }),
  number('/tubes/width', 'Tube width', { unit: 'm', step: 0.002, decimals: 3 }),
  number('/tubes/height', 'Tube height', { unit: 'm', step: 0.002, decimals: 3 }),
  number('/tubes/offset', 'Moved outward', { unit: 'm', step: 0.005, decimals: 3 }),
  number('/tubes/rows', 'Side by side', { step: 1, decimals: 0 }),
  number('/tubes/gap', 'Apart by', { unit: 'm', step: 0.005, decimals: 3 }),
  number('/tubes/start', 'Contours start at', { unit: 'share', step: 0.01 }),
  number('/tubes/first', 'There from', { unit: 'share', step: 0.01 }),
  number('/tubes/last', 'There to', { unit: 'share', step: 0.01 }),
];

/** Those of a drawn path. */
const pathFields = (base: string, ofEmblem: boolean): FieldSpec[] => [
  { path: `${base}/emblem`, label: 'Path from', kind: 'emblem', plain: true, none: 'points on the board' },
  ...(ofEmblem
    ? [
        number(`${base}/part`, 'Part of the emblem', { step: 1, decimals: 0 }),
        number(`${base}/height`, 'Height of the emblem', { unit: 'm', step: 0.05 }),
      ]
    : [{ path: `${base}/closed`, label: 'Closed', kind: 'switch', plain: true } as FieldSpec]),
  { path: `${base}/fit`, label: 'As long as the longest line', kind: 'switch' },
  number(`${base}/at`, 'Middle of the line at', { unit: 'share', step: 0.01 }),
  { path: `${base}/below`, label: 'On the other side', kind: 'switch' },
];

type Block = Extract<Step, { kind: 'block' }>;

function blockFields(step: Block, family: Family | undefined): FieldSpec[] {
  const axes = (family?.axes ?? []).map((axis) =>
    number(`/axes/${axis.tag}`, axis.name, {
      step: axis.most - axis.least > 20 ? 1 : 0.01,
      decimals: axis.most - axis.least > 20 ? 0 : 2,
      min: axis.least,
      max: axis.most,
      start: axis.at,
    }),
  );
  const features = (family?.features ?? []).map(
    (feature): FieldSpec => ({
      path: `/features/${feature.tag}`,
      label: feature.name,
      kind: 'feature',
      start: feature.on ? 1 : 0,
    }),
  );
  const bent =
    isKeyed(step.baseline?.kind) || step.baseline?.kind === 'arc' || step.baseline?.kind === 'drum';
  return [
    ...grouped('Text', [
      { path: '/text', label: 'Text', kind: 'text', wide: true },
      { path: '/family', label: 'Family', kind: 'family', wide: true },
      number('/size', 'Cap height', { unit: 'm' }),
      number('/tracking', 'Tracking', { unit: '1/1000 em', step: 1, decimals: 0 }),
      number('/leading', 'Line spacing', { unit: 'cap heights' }),
      choice('/align', 'Align', { justify: 'both edges, by spaces', fill: 'both edges, by size' }),
      ...axes,
    ]),
    ...grouped('Baseline', [
      choice('/baseline/kind', 'Lines run', {
        arc: 'on an arc',
        drum: 'around a drum',
        path: 'along a path',
      }),
      ...(step.baseline?.kind === 'path'
        ? [
            ...pathFields('/baseline', Boolean(step.baseline.emblem)),
            { path: '/baseline/spread', label: 'Spread over the whole path', kind: 'switch' } as FieldSpec,
            { path: '/baseline/upright', label: 'Upright letters', kind: 'switch' } as FieldSpec,
          ]
        : []),
      ...(bent
        ? [
            number('/baseline/radius', 'Radius', {
              unit: 'm, below 0 inside',
              step: 0.05,
            }),
            number('/baseline/start', 'Turned onward', { unit: '°', step: 1, decimals: 1 }),
            { path: '/baseline/spread', label: 'Spread over the whole turn', kind: 'switch' } as FieldSpec,
            { path: '/baseline/upright', label: 'Upright letters', kind: 'switch' } as FieldSpec,
          ]
        : []),
      number('/width', 'Width of the lines', { unit: 'm, 0: widest', step: 0.05 }),
    ]),
    ...grouped('Features', [
      ...features,
      { ...among('/language', 'Language', LANGUAGES), plain: true },
      {
        ...choice('/direction', 'Direction', { auto: 'from the text' }),
        plain: true,
      },
    ]),
    ...grouped('Place', PLACE),
  ];
}

/** The tab of a light. Names may be alike: the number tells them apart. */
export const lightGroup = (name: string | undefined, k: number) => `${k + 1} ${name ?? 'light'}`;

/** A place on a letter, its word, line or block. */
const about = (at: string, label: string) => [
  choice(`${at}/place`, label, {
    cap: 'cap height',
    left: 'left edge',
    right: 'right edge',
    own: 'own place',
  }),
  choice(`${at}/about`, 'of the'),
];
const PIVOT = about('/pivot', 'Pivot');

const SPRING = [
  number('/tempo', 'Tempo', { unit: 'Hz', step: 0.05 }),
  number('/damping', 'Damping', { unit: 'ratio', step: 0.01 }),
];

type Drive = Extract<Step, { kind: 'drive' }>;
type Reach = NonNullable<Drive['reaches']>[number];

/** The tab of a reach: its number tells those of a kind apart. */
export const reachGroup = (kind: string, k: number, count: number) =>
  `${kind.charAt(0).toUpperCase()}${kind.slice(1)}${count > 1 ? ` ${k + 1}` : ''}`;

const ORDERS = {
  reading: 'reading order',
  centre_out: 'from the centre out',
  edges_in: 'from the edges in',
};
const frames = (path: string, label: string, more: Partial<FieldSpec> = {}) =>
  number(path, label, { unit: 'frames', step: 1, decimals: 1, ...more });

function reachFields(reach: Reach, at: string): FieldSpec[] {
  const order = 'order' in reach ? reach.order : undefined;
  const shuffle: FieldSpec[] =
    order === 'shuffled'
      ? [
          {
            ...number(`${at}/shuffle`, 'Shuffle', { step: 1, decimals: 0 }),
            plain: true,
          },
        ]
      : [];
  const ordered = [
    choice(`${at}/order`, 'Order', {
      ...ORDERS,
      axis: 'along a direction',
      near: 'from a point on',
      far: 'towards a point',
      picture: 'as a picture is bright',
      noise: 'in patches',
    }),
    ...shuffle,
    ...(order === 'axis' ? [vector(`${at}/along`, 'Direction', { step: 0.05 })] : []),
    ...(order === 'near' || order === 'far'
      ? [vector(`${at}/point`, 'Point', { unit: 'm', step: 0.05 })]
      : []),
  ];
  const picture: FieldSpec[] = [
    { path: `${at}/picture`, label: 'Picture', kind: 'picture', none: 'none' },
    number(`${at}/width`, 'Picture width', { unit: 'm', step: 0.02 }),
    vector(`${at}/middle`, 'Middle', { unit: 'm', step: 0.02, parts: ['x', 'y'] }),
  ];
  switch (reach.kind) {
    case 'cadence':
      return [
        choice(`${at}/way`, 'Letters', { pass: 'go there and back' }),
        ...ordered,
        frames(`${at}/start`, reach.backward === true ? 'All is done at' : 'Start', { unit: 'frame' }),
        { path: `${at}/backward`, label: 'Worked backward', kind: 'switch' },
        choice(`${at}/unit`, 'Counted by', { letter: 'letters', word: 'words', line: 'lines' }),
        frames(`${at}/delay`, `Delay a ${typeof reach.unit === 'string' ? reach.unit : 'letter'}`, {
          step: 0.25,
          decimals: 2,
        }),
        choice(`${at}/group`, 'Afresh in each', { none: 'no' }),
        ...(reach.group === 'none'
          ? []
          : [
              frames(
                `${at}/group_delay`,
                `Delay a ${typeof reach.group === 'string' ? reach.group : 'group'}`,
                {
                  step: 0.25,
                  decimals: 2,
                },
              ),
            ]),
        frames(`${at}/whole`, 'All within', { unit: 'frames, 0: by delay' }),
        frames(`${at}/duration`, 'Duration'),
        ...(reach.way === 'pass' || isKeyed(reach.way) ? [frames(`${at}/stay`, 'Stays there')] : []),
        number(`${at}/bend`, 'Bend', { unit: 'first, last', step: 0.02 }),
        { path: `${at}/ease`, label: 'Ease', kind: 'ease' },
      ];
    case 'zone':
      return [
        choice(`${at}/shape`, 'Shape'),
        choice(`${at}/measures`, 'Measures letters', {
          rest: 'where they rest',
          moved: 'where they have been moved',
        }),
        number(`${at}/run`, 'Run', { unit: 'm', step: 0.02 }),
        number(`${at}/inside`, 'Inside'),
        number(`${at}/outside`, 'Outside'),
        vector(`${at}/place`, 'Place', { unit: 'm', step: 0.02 }),
        vector(`${at}/size`, 'Reaches to each side', { unit: 'm', step: 0.02 }),
        vector(`${at}/turn`, 'Turn', { unit: '°', step: 1, decimals: 1 }),
        { path: `${at}/ease`, label: 'Ease of the run', kind: 'ease' },
      ];
    case 'noise':
      return [
        number(`${at}/tempo`, 'Times a second', { step: 0.05 }),
        number(`${at}/low`, 'From'),
        number(`${at}/high`, 'To'),
        number(`${at}/grain`, 'Neighbours alike over', { unit: 'm, 0: no', step: 0.05 }),
        { ...number(`${at}/seed`, 'Seed', { step: 1, decimals: 0 }), plain: true },
      ];
    case 'picture':
      return [
        ...picture,
        choice(`${at}/tiling`, 'Goes on', { once: 'not: once', mirror: 'mirrored' }),
        number(`${at}/dark`, 'Where it is black'),
        number(`${at}/bright`, 'Where it is white'),
      ];
    case 'swing':
      return [
        choice(`${at}/order`, 'Order', ORDERS),
        ...shuffle,
        frames(`${at}/start`, 'Start', { unit: 'frame' }),
        frames(`${at}/delay`, 'Delay a letter', { step: 0.25, decimals: 2 }),
        number(`${at}/tempo`, 'Tempo', { unit: 'Hz', step: 0.05 }),
        number(`${at}/damping`, 'Damping', { unit: 'ratio', step: 0.01 }),
        frames(`${at}/settle`, 'Hangs still after'),
      ];
    case 'passage':
      return [
        number(`${at}/passed`, 'Gone', { unit: 'share', step: 0.01 }),
        ...ordered,
        ...(order === 'picture' ? picture : []),
        ...(order === 'noise' ? [number(`${at}/grain`, 'Patches of', { unit: 'm', step: 0.02 })] : []),
        number(`${at}/each`, 'Each takes', { unit: 'share', step: 0.01 }),
        number(`${at}/rough`, 'By chance', { unit: 'share', step: 0.01 }),
        { path: `${at}/ease`, label: 'Ease', kind: 'ease' },
      ];
    case 'everywhere':
      return [number(`${at}/level`, 'Level')];
  }
}

function growFields(step: Extract<Step, { kind: 'grow' }>): FieldSpec[] {
  return [
    ...grouped('Growing', [
      choice('/grows', 'Tubes grow', {
        onward: 'from their start on',
        backward: 'from their end back',
        both: 'to both sides',
      }),
      number('/start', 'Start later by', { unit: 'share', step: 0.01 }),
    ]),
    ...reachingFields(step, 'Drawn as one'),
  ];
}

/** How letters are cut, and where their pieces go. */
function pieceFields(step: Extract<Step, { kind: 'pieces' }>): FieldSpec[] {
  const { cut, by } = step;
  const counted = cut !== 'rays' && cut !== 'line';
  const lined = cut === 'strips' || cut === 'bricks' || cut === 'rays';
  return [
    ...grouped('Cut', [
      choice('/cut', 'Cut into', {
        chunks: 'chunks of the solid',
        shell: 'a shell of the surface',
        rays: 'rays from a point',
        line: 'two, along a line',
      }),
      ...(counted ? [choice('/by', 'Counted by')] : []),
      ...(cut === 'line' || (counted && by === 'size')
        ? []
        : [number('/number', 'Pieces a letter', { step: 1, decimals: 0 })]),
      ...(counted && by !== 'number' ? [number('/size', 'Size', { unit: 'cap heights', step: 0.01 })] : []),
      ...(cut === 'line' ? [] : [number('/even', 'Even', { unit: '0: by chance', step: 0.02 })]),
      ...(cut === 'shell'
        ? [number('/thick', 'Thick', { unit: 'cap heights', step: 0.005, decimals: 3 })]
        : []),
      ...(lined ? [number('/angle', 'Turned', { unit: '°', step: 1, decimals: 1 })] : []),
      ...(cut === 'rays'
        ? [vector('/point', 'From', { unit: 'cap heights', step: 0.02, parts: ['x', 'y'] })]
        : []),
      ...(lined || cut === 'line'
        ? [{ path: '/through', label: 'Through all letters', kind: 'switch' } as FieldSpec]
        : []),
      { ...number('/seed', 'Seed', { step: 1, decimals: 0 }), plain: true },
    ]),
    ...grouped('Flight', [
      number('/outward', 'Outward', { unit: 'm', step: 0.02 }),
      ...about('/centre', 'From'),
      ...(step.centre?.place === 'own'
        ? [vector('/centre/own', 'Own place', { unit: 'cap heights', step: 0.02 })]
        : []),
      vector('/move', 'Move', { unit: 'm', step: 0.02 }),
      number('/spread', 'Ways by chance', { unit: 'share', step: 0.02 }),
      vector('/turn', 'Turn', { unit: '°', step: 1, decimals: 1 }),
      number('/spin', 'Turns by chance', { unit: 'share', step: 0.02 }),
      number('/scale', 'Scale', { step: 0.01 }),
      number('/sizes', 'Scale by chance', { unit: 'share', step: 0.02 }),
      vector('/bow', 'Aside half way', { unit: 'm', step: 0.02 }),
      vector('/drift', 'Drifts on', { unit: 'm a second', step: 0.01 }),
    ]),
    ...reachingFields(step, 'Goes as one'),
  ];
}

/** What fills letters, and of what their skin is. */
function inflateFields(step: Extract<Step, { kind: 'inflate' }>): FieldSpec[] {
  return [
    ...grouped('Gas', [
      number('/pressure', 'Pressure', { step: 0.02 }),
      number('/hold', 'Held to its shape', { unit: 'share', step: 0.01 }),
      number('/weight', 'Weight', { step: 0.05 }),
    ]),
    ...grouped('Skin', [
      number('/stretch', 'Stretches', { unit: '0: foil, 1: rubber', step: 0.01 }),
      number('/wrinkles', 'Wrinkles', { unit: 'share', step: 0.005, decimals: 3 }),
      number('/stiff', 'Stiff', { unit: 'share', step: 0.01 }),
      {
        ...choice('/seam', 'Seam', { borders: 'along front and rear', none: 'none' }),
        plain: true,
      },
      {
        ...choice('/fine', 'Mesh', { coarse: 'coarse: fast', usual: 'usual', fine: 'fine: slow' }),
        plain: true,
      },
    ]),
    ...grouped('Meets', [
      { path: '/touch', label: 'Letters push each other', kind: 'switch', plain: true },
      { path: '/grounds', label: 'Floor and wall hold', kind: 'switch', plain: true },
    ]),
    ...reachingFields(step, 'Filled as one'),
  ];
}

/** What becomes what, and how it goes there. */
function becomeFields(step: Extract<Step, { kind: 'become' }>, blocks: Named[]): FieldSpec[] {
  const among = (first: string) => [
    { value: '', name: first },
    ...blocks.map(({ id, name }) => ({ value: id, name })),
  ];
  return [
    ...grouped('Becomes', [
      { ...choice('/what', 'What'), options: among('the first above'), plain: true },
      { ...choice('/into', 'Becomes'), options: among('the second above'), plain: true },
      {
        ...choice('/matched', 'Matched by', {
          place: 'where they lie',
          order: 'reading order',
          size: 'their size',
          chance: 'chance',
        }),
        plain: true,
      },
      vector('/bow', 'Aside half way', { unit: 'm', step: 0.02 }),
      number('/spread', 'Ways by chance', { unit: 'share', step: 0.02 }),
      vector('/turn', 'Turn', { unit: '°', step: 1, decimals: 1 }),
      number('/spin', 'Turns by chance', { unit: 'share', step: 0.02 }),
      { ...number('/seed', 'Seed', { step: 1, decimals: 0 }), plain: true },
    ]),
    ...reachingFields(step, 'Goes as one'),
  ];
}

/** What lets bodies go, what pulls them, and what they are made of. */
function bodyFields(step: Extract<Step, { kind: 'bodies' }>): FieldSpec[] {
  const backward = step.backward === true;
  const blown = step.blow !== 0;
  return [
    ...grouped('Let go', [
      { ...choice('/of', 'Bodies are', { letter: 'letters', piece: 'their pieces' }), plain: true },
      frames('/start', backward ? 'Whole at' : 'Start', { unit: 'frame' }),
      { path: '/backward', label: 'Backward: come whole', kind: 'switch', plain: true },
      ...(backward
        ? []
        : [
            { ...choice('/wakes', 'By', { time: 'time', touch: 'touch' }), plain: true },
            frames('/delay', 'Delay a letter', { step: 0.25, decimals: 2 }),
            choice('/order', 'Order', ORDERS),
            ...(step.order === 'shuffled'
              ? [{ ...number('/shuffle', 'Shuffle', { step: 1, decimals: 0 }), plain: true }]
              : []),
            number('/follow', 'Follows the design', { unit: 'share', step: 0.02 }),
          ]),
    ]),
    ...grouped('Pushes', [
      vector('/thrown', 'Thrown', { unit: 'm a second', step: 0.05 }),
      vector('/spun', 'Spun', { unit: '° a second', step: 5, decimals: 0 }),
      number('/chance', 'By chance', { unit: 'share', step: 0.02 }),
      number('/blow', 'Blow', { unit: 'm a second', step: 0.05 }),
      ...(blown
        ? [
            vector('/blow_place', 'Blow from', { unit: 'm', step: 0.05 }),
            number('/blow_reach', 'Half as strong after', { unit: 'm', step: 0.05 }),
          ]
        : []),
      { ...number('/seed', 'Seed', { step: 1, decimals: 0 }), plain: true },
    ]),
    ...grouped('World', [
      vector('/gravity', 'Gravity', { unit: 'm/s²', step: 0.1 }),
      vector('/wind', 'Wind', { unit: 'm/s²', step: 0.1 }),
      number('/density', 'Density', { unit: 'kg/m³', step: 10, decimals: 0 }),
      number('/bounce', 'Bounce', { step: 0.01 }),
      number('/friction', 'Friction', { step: 0.01 }),
    ]),
  ];
}

function driveFields(step: Drive, family?: Family): FieldSpec[] {
  return [
    ...grouped('Offset', [
      vector('/offset/move', 'Move', { unit: 'm', step: 0.02 }),
      vector('/offset/turn', 'Turn', { unit: '°', step: 1, decimals: 1 }),
      vector('/offset/scale', 'Scale', { step: 0.01 }),
      choice('/offset/outside', 'Just outside', {
        none: 'no',
        left: 'the left side',
        right: 'the right side',
        above: 'above the frame',
        below: 'below the frame',
      }),
      ...(step.offset?.outside === 'none'
        ? []
        : [
            choice('/offset/sides', 'Sides', {
              alike: 'all one side',
              turns: 'by turns',
              round: 'all round',
              nearest: 'nearest side',
            }),
          ]),
      number('/offset/spacing', 'Spacing', { unit: 'cap heights', step: 0.02 }),
      ...PIVOT,
      ...(step.pivot?.place === 'own'
        ? [vector('/pivot/own', 'Pivot place', { unit: 'cap heights', step: 0.02 })]
        : []),
      number('/offset/opacity', 'Opacity'),
      number('/offset/glow', 'Glow', { unit: 'times', step: 0.02 }),
      number('/offset/softness', 'Softness', { unit: 'cap heights', step: 0.01 }),
      number('/offset/tint_share', 'Tinted', { unit: 'share' }),
      ...(step.offset?.tint_share === 0
        ? []
        : [{ path: '/offset/tint', label: 'Tint', kind: 'colour' } as FieldSpec]),
    ]),
    ...grouped('Glyphs', [
      number('/offset/scramble', 'Other letters', { unit: 'share', step: 0.02 }),
      ...(step.offset?.scramble === 0
        ? []
        : [
            {
              ...number('/offset/scramble_hold', 'Each for', {
                unit: 'frames',
                step: 1,
                decimals: 0,
              }),
              plain: true,
            },
          ]),
      ...(family?.axes ?? []).map((axis) =>
        number(`/offset/axes/${axis.tag}`, `${axis.name}, added`, {
          step: (axis.most - axis.least) / 200,
          min: axis.least - axis.most,
          max: axis.most - axis.least,
          start: 0,
        }),
      ),
    ]),
    ...reachingFields(step, 'Moved as one'),
  ];
}

/** The tabs of reaches, and what comes of them. */
function reachingFields(step: Reaching, together: string): FieldSpec[] {
  const reaches = step.reaches ?? [];
  return [
    ...reaches.flatMap((reach, k) =>
      grouped(reachGroup(reach.kind, k, reaches.length), reachFields(reach, `/reaches/${k}`)),
    ),
    ...grouped('Response', [
      choice('/scope', together, {
        piece: 'each piece',
        letter: 'each letter',
        block: 'the block',
        point: 'nothing: each point feels zones',
      }),
      number('/strength', 'Strength', { step: 0.02 }),
      { path: '/beyond', label: 'May go beyond 0 and 1', kind: 'switch' },
      {
        ...among('/exposed', 'Pictures', [
          ['1', 'on ones'],
          ['2', 'on twos'],
          ['3', 'on threes'],
          ['4', 'on fours'],
        ]),
        plain: true,
        whole: true,
      },
    ]),
  ];
}

const ALL = 'm, 0: all of it';
const LIFTS = { up: 'up', front: 'to the front', along: 'along their way' };

/** What a deformer does; then where its axes stand, and its reaches. */
function deformFields(step: Deformer): FieldSpec[] {
  const world = step.space === 'world';
  return [
    ...grouped(FACTS[step.kind].title, deforming(step)),
    ...grouped('Where', [
      {
        ...choice('/space', 'Stands in', { letter: 'each letter', block: 'the block', world: 'the world' }),
        plain: true,
      },
      ...(world
        ? [vector('/centre/own', 'Centre', { unit: 'm', step: 0.05 })]
        : [
            ...about('/centre', 'Centre'),
            ...(step.centre?.place === 'own'
              ? [vector('/centre/own', 'Centre place', { unit: 'cap heights', step: 0.02 })]
              : []),
          ]),
      vector('/turn', 'Turned', { unit: '°', step: 1, decimals: 1 }),
    ]),
    ...reachingFields(step, 'Felt as one'),
  ];
}

function deforming(step: Deformer): FieldSpec[] {
  const angle = number('/angle', 'Angle', { unit: '°', step: 1, decimals: 1 });
  const seed = { ...number('/seed', 'Seed', { step: 1, decimals: 0 }), plain: true };
  switch (step.kind) {
    case 'bend':
      return [
        choice('/about', 'About the', {
          depth: 'depth: an arch',
          vertical: 'vertical',
          horizontal: 'horizontal',
        }),
        angle,
        number('/length', 'Over', { unit: ALL, step: 0.05 }),
      ];
    case 'curl':
      return [
        choice('/rolls', 'Rolls from the'),
        choice('/over', 'To the'),
        number('/rolled', 'Rolled', { unit: 'share' }),
        number('/radius', 'Core radius', { unit: 'm' }),
        number('/gap', 'Turns apart', { unit: 'm' }),
      ];
    case 'twist':
      return [choice('/about', 'About the'), angle, number('/length', 'Over', { unit: ALL, step: 0.05 })];
    case 'wave':
      return [
        choice('/crests', 'Crests', { many: 'one after the other', endless: 'without end' }),
        choice('/travels', 'Travel to the', { up: 'top', down: 'foot' }),
        choice('/lifts', 'Lift', LIFTS),
        number('/height', 'Height', { unit: 'm' }),
        number('/width', 'Width', { unit: 'm', step: 0.05 }),
        number('/narrow', 'Narrowness', { step: 0.1 }),
        number('/speed', 'Speed', { unit: 'm a second', step: 0.05 }),
        frames('/start', 'Start', { unit: 'frame' }),
      ];
    case 'wrap':
      return [
        choice('/onto', 'Onto', {
          drum: 'an upright drum',
          roller: 'a level roller',
          globe: 'a globe',
          stage: 'the globe of the stage',
          path: 'a drawn path',
        }),
        ...(step.onto === 'stage' || step.onto === 'path'
          ? []
          : [number('/radius', 'Radius', { unit: 'm', step: 0.05 })]),
        number('/wrapped', 'Wrapped', { unit: 'share' }),
        ...(step.onto === 'path' || isKeyed(step.onto)
          ? pathFields('/path', Boolean(step.path?.emblem))
          : []),
      ];
    case 'ripple':
      return [
        choice('/lifts', 'Lifts', LIFTS),
        number('/height', 'Height', { unit: 'm' }),
        number('/size', 'Size', { unit: 'm', step: 0.02 }),
        number('/speed', 'Changes', { unit: 'a second', step: 0.05 }),
        { ...frames('/loop', 'Loops over', { unit: 'frames, 0: no', decimals: 0 }), plain: true },
        seed,
      ];
    case 'blast':
      return [
        number('/outward', 'Outward', { unit: 'm', step: 0.02 }),
        number('/core', 'Core', { unit: 'm', step: 0.02 }),
        number('/rough', 'Roughness'),
        number('/size', 'Size of its pieces', { unit: 'm', step: 0.02 }),
        seed,
      ];
  }
}

/** What more there is to say of what shows behind everything; all of it while that changes over the shot. */
function backdropFields(behind: unknown): FieldSpec[] {
  const shown = (...of: string[]) => isKeyed(behind) || of.includes(String(behind));
  return [
    ...(shown('colour', 'gradient', 'picture')
      ? [{ path: '/colour', label: 'Colour behind', kind: 'colour' } as FieldSpec]
      : []),
    ...(shown('gradient')
      ? [
          { path: '/colour_above', label: 'Colour above', kind: 'colour' } as FieldSpec,
          number('/gradient_turn', 'Turned to the right', { unit: '°', step: 5, decimals: 0 }),
        ]
      : []),
    ...(shown('picture')
      ? [{ path: '/backdrop', label: 'Picture behind', kind: 'picture', none: 'none' } as FieldSpec]
      : []),
  ];
}

const FADING = { step: 0.5, decimals: 1 };

/** The fields of a step, in the order in which they are thought of. */
export function fieldsOf(step: Step, more: More = {}): FieldSpec[] {
  return specsOf(step, more).map((field) => bounded(field, step, field.path));
}

/** A block or emblem of a recipe. */
interface Named {
  id: string;
  name: string;
}

interface More {
  blocks?: Named[];
  family?: Family | undefined;
  controls?: Record<string, Record<string, string>> | undefined;
}

function specsOf(step: Step, more: More): FieldSpec[] {
  if (deforms(step)) return deformFields(step);
  switch (step.kind) {
    case 'block':
      return blockFields(step, more.family);
    case 'emblem':
      return [
        { path: '/emblem', label: 'Emblem', kind: 'emblem', wide: true },
        number('/size', 'Height', { unit: 'm' }),
        { path: '/own_colours', label: 'Colours of the drawing', kind: 'switch' },
        ...PLACE,
      ];
    case 'grow':
      return growFields(step);
    case 'inflate':
      return inflateFields(step);
    case 'pieces':
      return pieceFields(step);
    case 'bodies':
      return bodyFields(step);
    case 'become':
      return becomeFields(step, more.blocks ?? []);
    case 'form':
      return [
        ...grouped('Depth', [
          number('/depth', 'Depth', { unit: 'm', step: 0.005, decimals: 3 }),
          choice('/grow', 'Grows', { both: 'both ways' }),
          number('/weight', 'Weight', { unit: '1/1000 em', step: 0.5, decimals: 1 }),
          choice('/counters', 'Counters'),
          number('/wall', 'Hollow, with a wall of', {
            unit: 'm, 0: solid',
            step: 0.002,
            decimals: 3,
          }),
          choice('/corners', 'Inner corners', { mitre: 'mitred', round: 'rounded' }),
        ]),
        ...grouped('Front profile', edge('/front', step.front)),
        ...grouped('Tubes', [
          { path: '/tubes/on', label: 'Draw by tubes', kind: 'switch' },
          ...(step.tubes?.on === false ? [] : TUBES),
        ]),
        ...grouped('Rear profile', [
          { path: '/rear_alike', label: 'Like the front', kind: 'switch' },
          ...(step.rear_alike === true ? [] : edge('/rear', step.rear)),
        ]),
      ];
    case 'drive':
      return driveFields(step, more.family);
    case 'follow':
      return [
        choice('/way', 'Follows as', { spring: 'a spring', lag: 'a lag' }),
        ...(step.way === 'lag' ? [] : SPRING),
        ...(step.way === 'spring' ? [] : [number('/lag', 'Late by', { unit: 's', step: 0.01 })]),
        number('/strength', 'Strength'),
        { path: '/move', label: 'Follows moves', kind: 'switch' },
        { path: '/turn', label: 'Follows turns', kind: 'switch' },
        { path: '/scale', label: 'Follows scale', kind: 'switch' },
        { path: '/bend', label: 'Follows bending', kind: 'switch' },
        { path: '/apart', label: 'Keeps letters apart', kind: 'switch' },
        ...(step.apart === false ? [] : [number('/gap', 'Gap', { unit: 'cap heights', step: 0.005 })]),
      ];
    case 'drum':
      return [
        { path: '/words', label: 'Words before, a line each', kind: 'text', wide: true },
        number('/sides', 'Sides', { step: 1, decimals: 0 }),
        ...(step.words === ''
          ? [number('/before', 'Letters by chance before', { step: 1, decimals: 0 })]
          : []),
        choice('/rolls', 'Rolls'),
        choice('/order', 'Order', ORDERS),
        ...(step.order === 'shuffled' || step.words === ''
          ? [
              {
                ...number('/shuffle', 'Shuffle', { step: 1, decimals: 0 }),
                plain: true,
              },
            ]
          : []),
        frames('/start', 'Start', { unit: 'frame' }),
        frames('/delay', 'Delay a letter', { step: 0.25, decimals: 2 }),
        frames('/duration', 'Duration'),
        { path: '/ease', label: 'Ease', kind: 'ease' },
      ];
    case 'swap':
      return [
        { path: '/texts', label: 'Texts before, a line each (| breaks a line)', kind: 'text', wide: true },
        choice('/swaps', 'Changes', { edge_on: 'seen edge-on', back: 'while the back shows' }),
        choice('/turns', 'Turns to the'),
        frames('/start', 'First turn', { unit: 'frame' }),
        frames('/turn', 'A turn lasts'),
        frames('/hold', 'Holds for'),
        { path: '/ease', label: 'Ease', kind: 'ease' },
      ];
    case 'shiver':
      return [
        choice('/scope', 'Each by itself', { piece: 'pieces', letter: 'letters' }),
        vector('/move', 'Move by at most', { unit: 'm', step: 0.002, decimals: 3 }),
        vector('/turn', 'Turn by at most', { unit: '°', step: 0.1, decimals: 1 }),
        number('/tempo', 'Times a second', { step: 0.1 }),
        number('/start', 'Start', { unit: 'frame', step: 1, decimals: 1 }),
        number('/fade_in', 'Fades in', { unit: 'frames', step: 1, decimals: 1 }),
        number('/end', 'End', { unit: 'before start: never', step: 1, decimals: 1 }),
        number('/fade_out', 'Fades out', { unit: 'frames', step: 1, decimals: 1 }),
        ...PIVOT,
        { ...number('/seed', 'Seed', { step: 1, decimals: 0 }), plain: true },
      ];
    case 'group':
      return [
        ...grouped('Together', [
          choice('/pivot', 'Pivot', { centre: 'exact centre', foot: 'middle of the foot', own: 'own place' }),
          ...(step.pivot === 'own' || typeof step.pivot === 'object'
            ? [vector('/own', 'Own place', { unit: 'm', step: 0.02 })]
            : []),
          ...PLACE,
        ]),
        ...grouped('Copies', [
          number('/copies/count', 'Copies', { step: 1, decimals: 0 }),
          frames('/copies/delay', 'Delay', { step: 0.25, decimals: 2 }),
          vector('/copies/move', 'Step of place', { unit: 'm', step: 0.02 }),
          vector('/copies/turn', 'Step of turn', { unit: '°', step: 1, decimals: 1 }),
          number('/copies/scale', 'Step of scale', { step: 0.01, decimals: 3 }),
          number('/copies/radius', 'Step of radius', { unit: 'm', step: 0.01 }),
          { path: '/copies/tint', label: 'Step towards', kind: 'colour' },
          number('/copies/share', 'by a share', { step: 0.01 }),
        ]),
      ];
    case 'material':
      return PARTS.filter(([part]) => isMain(part) || step[part]).flatMap(([part, title]) =>
        surfaceFields(`/${part}`, title, step[part], more.controls),
      );
    case 'environment':
      return [
        {
          ...choice('/preset', 'Environment', {
            cold_tube: 'cold tubes',
            rim_pair: 'pair of rim strips',
            top_light: 'skylight',
            storm_break: 'break in a storm',
          }),
          own: 'own picture',
        },
        number('/strength', 'Strength', { step: 0.02 }),
        number('/turn', 'Turn', { unit: '°', step: 1, decimals: 1 }),
        {
          path: '/tilt',
          label: 'Tilt',
          kind: 'vector',
          unit: '°',
          parts: ['forward', 'right'],
          step: 1,
          decimals: 1,
        },
        choice('/behind', 'Behind everything', {
          environment: 'the environment',
          colour: 'a colour',
          gradient: 'a gradient',
          picture: 'a picture',
        }),
        ...backdropFields(step.behind),
      ];
    case 'lights':
      return (step.lights ?? []).flatMap((light, k) =>
        grouped(lightGroup(light.name, k), lightFields(light, k)),
      );
    case 'stage':
      return [
        ...grouped('Stage', [
          choice('/shape', 'Stage', {
            corner: 'floor and wall',
            sweep: 'sweep, in one piece',
            card: 'floor and card',
          }),
          ...stageFields(step),
          { path: '/catch', label: 'Only shadows are seen', kind: 'switch' },
          number('/haze', 'Haze: half gone at', { unit: 'm, 0: clear', ...FADING }),
          { path: '/haze_colour', label: 'Haze: colour', kind: 'colour' },
          number('/horizon', 'Horizon: half there at', { unit: 'm, 0: none', ...FADING }),
          { path: '/horizon_colour', label: 'Horizon: colour', kind: 'colour' },
        ]),
        ...sheetsOf(step).flatMap(([name, title]) =>
          surfaceFields(`/${name}`, title, step[name], more.controls),
        ),
      ];
    case 'camera':
      return [
        number('/lens', 'Lens', { unit: 'mm', step: 0.5, decimals: 1 }),
        number('/sensor', 'Sensor width', { unit: 'mm', step: 0.5, decimals: 1 }),
        number('/fit', 'Fit to width', { unit: '0: place' }),
        number('/roll', 'Roll', { unit: '°', step: 0.5, decimals: 1 }),
        {
          path: '/orbit',
          label: 'Orbit',
          kind: 'vector',
          unit: '°',
          parts: ['right', 'up'],
          step: 0.5,
          decimals: 1,
        },
        {
          path: '/shift',
          label: 'Shift in the frame',
          kind: 'vector',
          parts: ['across', 'up'],
          step: 0.005,
          decimals: 3,
        },
        vector('/place', 'Place', { unit: 'm', step: 0.05 }),
        vector('/aim', 'Aim', { unit: 'm', step: 0.05 }),
        number('/exposure', 'Exposure', { unit: 'stops', step: 0.05 }),
        number('/white', 'White balance', { unit: 'K', step: 50, decimals: 0 }),
        number('/opening', 'Lens opening', { unit: 'm, 0: all sharp', step: 0.01 }),
        number('/focus', 'Focus at', { unit: 'm, 0: the title', step: 0.05 }),
        ...(step.follow ? [number('/follow_share', 'Follows by', { unit: 'share' })] : []),
        number('/blades', 'Blades', { unit: '0: round', step: 1, decimals: 0 }),
        number('/drift', 'Held by hand', { step: 0.05 }),
        number('/drift_tempo', 'Sways', { unit: 'a second', step: 0.05 }),
        number('/overscan', 'Overscan', { unit: 'share', step: 0.01 }),
        number('/shutter', 'Shutter', { unit: '°', step: 5, decimals: 0 }),
        number('/shutter_phase', 'Shutter phase', {
          unit: '° after the frame',
          step: 5,
          decimals: 0,
        }),
      ];
  }
}
