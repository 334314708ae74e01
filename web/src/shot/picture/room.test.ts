import { describe, expect, it, vi } from 'vitest';
import { api } from '../../api/client';
import type { Look } from '../draft';
import { LIGHTS_FROM_AROUND, ROOM, Room, recipe } from './room';

const sheet = (catches: boolean) =>
  ({
    catches,
    surface: { colour: [0.1, 0.2, 0.3], glow: [0, 0, 0], metal: 0, roughness: 0.4, ior: 1.5 },
    centre: [0, 0, 1],
    u: [1, 0, 0],
    v: [0, 0, -1],
  }) as unknown as Look['grounds'][number];
const look = {
  blocks: [],
  grounds: [sheet(true), sheet(false)],
  haze: null,
  horizon: null,
  lights: [
    {
      kind: 'flat',
      centre: [0, 4, 2],
      normal: [0, -1, 0],
      radiance: [5, 5, 5],
      area: 1,
      spot: 0,
      soft: 1,
      limit: 0,
      dark: [1, 1],
      touches: { face: null, edge: null, stage: true, mirrored: [true, true] },
      u: [0.5, 0, 0],
      v: [0, 0, 0.5],
    },
  ],
  environment: {
    preset: 'overcast',
    strength: 1,
    turn: 20,
    standing: [1, 0, 0, 0, 1, 0, 0, 0, 1],
    tilt: [0, 0],
    behind: 'nothing',
    colour: [0, 0, 0],
  },
} as Look;

describe('what stands around', () => {
  it('is asked for by the stage that is seen, the lamps and the environment, and by nothing else', () => {
    const asked = recipe(look, [0.25, 0.75, 0.25]);
    expect(asked.grounds).toEqual([
      {
        colour: [0.1, 0.2, 0.3],
        metal: 0,
        roughness: 0.4,
        ior: 1.5,
        glow: [0, 0, 0],
        centre: [0, 0, 1],
        u: [1, 0, 0],
        v: [0, 0, -1],
        radius: 0,
        line: [],
        half: 0,
      },
    ]);
    expect(Object.keys(asked.lamps[0] ?? {}).sort()).toEqual(
      ['area', 'centre', 'kind', 'limit', 'normal', 'radiance', 'soft', 'spot', 'u', 'v'].sort(),
    );
    expect(asked).toMatchObject({ place: [0.25, 0.75, 0.25], preset: 'overcast', turn: 20 });
  });

  it('is asked for once, and shown where it was asked for', async () => {
    const pictures = 2 * 5 * 32 * 64 * 4 * 2;
    const body = new ArrayBuffer(pictures + 2 * 3 * 4);
    new Float32Array(body, pictures).set([0.25, 0.75, 0.25, 0.25, 0, 0.5]);
    const post = vi
      .spyOn(api, 'POST')
      .mockResolvedValue({ data: body, response: new Response() } as unknown as never);
    const room = new Room();
    const [title, ground, beyond] = [room.at(0), room.at(1), room.at(2)];
    expect(title.roomFirst.value).toBe(-1);
    await room.ask(look, [0.25, 0.75, 0.25]);
    expect([title, ground, beyond].map((of) => of.roomFirst.value)).toEqual([0, 5, -1]);
    expect([title, ground].map((of) => of.roomPlace.value.toArray())).toEqual([
      [0.25, 0.75, 0.25],
      [0.25, 0, 0.5],
    ]);
    expect([title, ground].map((of) => of.sheetCount.value)).toEqual([0, 1]);
    expect(title.sheets.value.slice(0, 3).map((of) => of.toArray())).toEqual([
      [0, 0, 1],
      [1, 0, 0],
      [0, 0, -1],
    ]);
    expect(title.roomMap.value).toBe(ground.roomMap.value);
    expect(title.roomMap.value.image).toMatchObject({ width: 64, height: 32, depth: 10 });
    expect(room.ask(look, [0.25, 0.75, 0.25])).toBeNull();
    expect(room.ask(look, [0.75, 0.75, 0.25])).not.toBeNull();
    expect(post).toHaveBeenCalledTimes(2);
  });

  it('tells how rough the floor is, for as long as something is drawn in it', () => {
    const room = new Room();
    const told: number[] = [];
    const { mirroredIn } = room.at(0);
    room.inFloor(0.5, () => told.push(mirroredIn.value, room.at(1).mirroredIn.value));
    expect([...told, mirroredIn.value]).toEqual([0.0625, 0.0625, 0]);
  });

  it('stands in the place of every function that three asks for light from around', () => {
    for (const name of ['getIBLIrradiance', 'getIBLRadiance', 'getIBLAnisotropyRadiance']) {
      expect(ROOM).toContain(`vec3 ${name}(`);
    }
  });

  it('tells the look-ups of the surface, of its coat and of what lies behind its relief', () => {
    for (const told of ['mirrors.x =', 'coatMirrors.x', 'dot(geometryNormal, nonPerturbedNormal)'])
      expect(LIGHTS_FROM_AROUND).toContain(told);
  });
});
