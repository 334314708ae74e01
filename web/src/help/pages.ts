import type { StepKind } from '../api/facts';
import { DEFORMERS } from '../shot/reaching';

/** A page of the help: for a stage of work, in paragraphs; `kinds` are the steps that it is about. */
export interface Page {
  id: string;
  title: string;
  picture?: string;
  alt?: string;
  text: string[];
  kinds: StepKind[];
}

export const PAGES: Page[] = [
  {
    id: 'start',
    title: 'A first title',
    picture: 'shot',
    alt: 'The shot screen: recipe at the left, picture and desk in the middle, sheet at the right',
    text: [
      'A shot is a recipe: steps that stand one under the other at the left, and are worked out from the top down. What you choose there is on the desk below the picture. Frames run down the sheet at the right, and every letter has a column in it.',
      'Type your words into the first step, choose a family, give the letters depth and an edge, put a material on, choose lights. The letters arrive by the step Arrive; press Space to see it. P shows a proof of the frame at the playhead, exactly as a take will have it. D orders a take.',
      'Everything is saved as it is made. Ctrl+Z goes back as far as you like, past a reload too. Ctrl+K finds anything by its name, does it or goes to it.',
      'Take me through it, in Ctrl+K under "First title, step by step", does all of that with you on your own words.',
    ],
    kinds: [],
  },
  {
    id: 'lettering',
    title: 'Words and lettering',
    picture: 'families',
    alt: 'The chooser of families, each set in the words of the title',
    text: [
      'Enter makes a line. The chooser of families shows your own words in every family; fonts of your own are brought in there too, as TTF, OTF, WOFF or a collection.',
      'Press letters in the picture, or drag a frame around them: they can have a size, weight, depth and place of their own. Alt and an arrow kerns, Alt, Shift and an arrow nudges. Patterns do the same by rule: every second letter, the first of each word, the last line.',
      'Baseline bends lines along an arc, around a drum, along a path that is drawn, or along the outline of an emblem. Place aligns a block, fits it to the frame, stands it on the stage, hangs it on the wall or leans it there, or lifts it clear of both.',
      'An emblem is a drawing of your own, brought in as SVG, or one that ships with the application, such as a rule or a ring: its parts act as letters, so that all motion works on it.',
    ],
    kinds: ['block', 'emblem'],
  },
  {
    id: 'form',
    title: 'Depth, edges and tubes',
    picture: 'profile',
    alt: 'An edge profile on its board',
    text: [
      'Depth and bevel acts on the blocks above it. The edge has nine profiles and a board on which to draw one; its width is in metres, or follows the stems of the letters, so that light weights keep a face.',
      'Weight makes letters bolder or lighter than the family has them, counters can be filled, a wall hollows letters out, and tubes draw them as neon does.',
      'Growing tubes draws letters of tubes one after the other, by reaches as a drive has them; where each begins is chosen in the picture, by the ring on its contour. With the glow of a drive they strike late, flicker or burn out: Night sign, Struck, Loose wire and Burnt out under M have formulas for that, which are yours to change.',
      'Where an edge is wider than a stem allows it meets in a ridge; the desk says of which letters that is true.',
    ],
    kinds: ['form', 'grow'],
  },
  {
    id: 'look',
    title: 'Materials and surroundings',
    picture: 'looks',
    alt: 'Looks, each on the words of the title',
    text: [
      'A material covers the face or the edge, or both; steps further down cover what those above have put on, for all letters or for some. Textures run through the whole title, or begin afresh on each letter. Own pictures can be laid on as colour, roughness or bumps.',
      'Metal shows what is around it: the environment is most of how it looks. With Environment chosen, drag the ball in the picture to turn it. A picture of all directions can be brought in.',
      'K shows your title in twenty looks: material, surroundings, lights and stage in one. Put one on whole or in part, keep your own for the next shot.',
    ],
    kinds: ['material', 'environment', 'stage'],
  },
  {
    id: 'light',
    title: 'Light, and the meter',
    text: [
      'Kits of lights fit any title. Each light can be placed by pointing: press "highlight here" and then the place on a letter where its gleam should be, "shadow here" and the place on floor or wall, or "glow on this edge".',
      'B shows the light meter: under each letter stands how far its outline stands apart from what is behind it, and beside the picture in words which letters are too dark, do not read or are white, against what, and by which light. From 1.6 to 1 on an outline reads.',
      '"lift" tries lights until dark letters come up to the others, "separate" until outlines stand apart, "calm" until nothing is white. What was found is shown first; keep it or leave it. It is one undo.',
    ],
    kinds: ['lights'],
  },
  {
    id: 'motion',
    title: 'Motion',
    picture: 'motions',
    alt: 'Motions, each on the words of the title',
    text: [
      'M shows your title in named motions and rigs. All of them are made of steps that can be opened and changed.',
      'A drive has an offset, which is what it does at full strength, and reaches, which say how strongly each letter feels it: a cadence goes from letter to letter, a zone is a place in the picture that letters pass, noise, a picture, a swing. At the end of a cadence letters are where they were set: the rest place is final.',
      'Follow-throughs below drives let letters swing and settle; they say when all is at rest. A group puts blocks under one pivot and makes copies that come later.',
      'The sheet says when letters run into each other, into the floor or the wall: "keep apart" and "lift clear" beside those words mend it. Rigs make room for themselves when they are put in.',
    ],
    kinds: ['drive', 'follow', 'drum', 'swap', 'shiver', 'group'],
  },
  {
    id: 'pieces',
    title: 'Letters in pieces',
    text: [
      'Pieces cuts the letters above it into chunks, a shell of their surface, strips, bricks, rays or along a line of yours. While nothing is away a letter is whole: no crack is seen.',
      'One value takes a title from whole to gone and back: "Gone" of its passage, keyed as often as you like. The order says which pieces go first: along a direction, from a point, in patches, by chance, or as a picture is bright.',
      'Under Flight stands where pieces go: outward from each letter, its word, line or the block, and by a move; how much of that is chance; how they turn, shrink, and drift on. Other reaches work too: a zone, a cadence, noise.',
      'Drives and shivers act on each piece where their scope is "each piece". What was inside has a material of its own under Material, the part Inside.',
    ],
    kinds: ['pieces'],
  },
  {
    id: 'inflate',
    title: 'Letters like balloons',
    text: [
      'Inflate fills the letters above it with gas: at a reach of 0 they are as they were, at 1 they are full. So a cadence blows them up one after the other, a zone those that it passes, and a keyed strength lets the gas out again.',
      'Foil does not stretch: where it has more cloth than its seams it puckers along them, as much as Wrinkles says. Rubber stretches. Letters are plumpest with little depth, square edges and rounded inner corners; Held to its shape keeps thin parts from rounding off.',
      'What is solved is worked out from the first frame on, by itself; until it is, a sketch of coarse letters stands for it, and the head of the page says so. A coarse mesh is quick to try things with, the usual one for most pictures, a fine one for close ups.',
      'Everything that moves letters moves them as they are then: put a shiver below for balloons that tremble. For a photograph of foil wear a polished metal, or take one of the motions that inflate.',
    ],
    kinds: ['inflate'],
  },
  {
    id: 'become',
    title: 'One thing into another',
    text: [
      'Becomes turns a block or emblem into another one above it: put a second block into the recipe first. Its passage goes from 0, where the one is there, to 1, where the other is; keyed back it turns back.',
      'What is cut by Pieces goes piece by piece: each flies to the place of the piece that it is matched with, by where they lie, by reading order, by size or by chance, and half way it is that. What is not cut goes letter by letter.',
      'Where they fly, aside and turning, stands under Becomes; which go first in the order of the passage.',
    ],
    kinds: ['become'],
  },
  {
    id: 'bodies',
    title: 'Letters that fall and collide',
    text: [
      'Bodies makes rigid bodies of the letters above it, or of their pieces: they fall, meet, and come to rest on floor, wall and whatever else the stage has. Until they are let go they do what the steps above say; then they keep the speed that they have. What is solved is worked out from the first frame on, by itself, whenever something changes: there is nothing to bake.',
      'Letters are let go at a frame, one after the other with a delay, or when something meets them. Throw them, spin them, or blow them from a place. With Follows they are drawn to where the design has them: a designed flight that collides.',
      'For letters that shatter add Pieces above it, keep its passage at 0, and let the bodies be their pieces. Backward they fly in and are whole at the frame you ask for.',
      'The sheet says when each letter has come to rest.',
    ],
    kinds: ['bodies'],
  },
  {
    id: 'bending',
    title: 'Bending letters',
    text: [
      'Bend, curl, twist, wave, wrap, ripple and blast change the shape of letters, point by point. Each goes by reaches as a drive does, so that it runs from letter to letter, or is strong where a zone is; half of a reach is half of the bend. Where "Felt as one" under Response is "nothing", each point feels zones by itself: a slab that sweeps through a word bends what it has reached.',
      'A wrap lays a line around a drum or a globe, around the globe of the stage, or along a path: pull its points in the picture or on the board of the desk, where + adds one and Delete takes one away.',
      'A deformer bends what stands above it in the recipe, with all that drives above it do: letters that fly in fly along the arch. Drives below it carry letters on as they are bent.',
      'Under "Where" stands what its axes belong to: each letter, the block (turn the block and the wave turns with it) or the world (letters go through it), and its centre. In the picture the chosen deformer has grips: a square for its centre, rings for its lengths, heights and angles; drag them, or push them with the arrow keys. Letters get as fine as what bends them needs: the recipe says how many triangles that makes.',
    ],
    kinds: [...DEFORMERS],
  },
  {
    id: 'keys',
    title: 'Keys, formulas and the sheet',
    picture: 'keys',
    alt: 'Keys on the sheet, and a curve',
    text: [
      'The ring beside a value sets a key at the playhead; go to another frame and change it. The curve beside the name opens it on the sheet, with handles. Press a key to choose it, Shift and a drag chooses several; drag them, with Alt a copy. A chosen key has its frame and value as fields at the foot.',
      'Type = for a formula, in any part of a value: f is the frame, t the time in seconds, i the number of a letter, n how many there are. Names and functions are listed where you type, each with a line about it. Drag a ring onto another value to follow that.',
      'The diagonal on the sheet is a cadence: drag it to move all, drag a start to stretch it, Shift bends it, Alt pulls one letter off.',
    ],
    kinds: [],
  },
  {
    id: 'camera',
    title: 'Camera',
    text: [
      'The camera fits the title to the frame unless you place it. With Camera chosen, drag in the picture to go around the title, with Shift across the frame, with the wheel nearer. It can follow a letter or a block, or stay sharp on one.',
      'G shows safe areas, thirds and baselines, and frames of other shapes. 1 to 5 look from the shot camera, from where you like, from the front, the side and the top.',
    ],
    kinds: ['camera'],
  },
  {
    id: 'deliver',
    title: 'Proofs and delivery',
    picture: 'deliver',
    alt: 'Ordering a take',
    text: [
      'P proves the frame at the playhead by the renderer, finer and finer: what a take will have. A region proves a part; exposure and scopes show where light runs out of range, and which light is behind that; an older proof can be wiped over it.',
      'D orders a take: frames, size, quality, motion blur, with or without alpha, with layers if wanted. How long it will take is said before. Its page shows frames as they come; stop it and carry on at any time. Sides stay in proportion unless you free them.',
      'E saves the letters of a frame as geometry for other programs.',
    ],
    kinds: [],
  },
];

/** The page that is about a kind of step. */
export const pageOf = (kind: string): Page =>
  PAGES.find((page) => page.kinds.includes(kind as StepKind)) ?? (PAGES[0] as Page);

/** Where the help is opened: at a page, and there at what is said of a kind of step and of a value of it. */
export interface Place {
  page: string;
  kind?: StepKind;
  find?: string;
}

/** What is said of a kind of step, and of the value at a pointer, if there is one. */
export const placeOf = (kind: StepKind, pointer = ''): Place => ({
  page: pageOf(kind).id,
  kind,
  find: pointer.split('/').at(-1) ?? '',
});

/** Parts of the screen, and the page that each is explained on. */
export const PAGE_OF_PART: Record<string, string> = { Sheet: 'keys', Picture: 'light', Recipe: 'start' };
