/** What makes the normal steeper, given to the height, so that both stay one surface. */

export interface Slopes {
  /** How steep the height typically is. */
  steepness: number;
  /** How many times steeper the normal is. */
  strength: number;
}

/** The same normal with as much of its strength as the height can hold in the height; the rest stays. */
export function givenBack({ steepness, strength }: Slopes, least: number, most: number): Slopes {
  const held = Math.min(most, Math.max(least, Number((steepness * strength).toFixed(3))));
  return { steepness: held, strength: Number(((steepness * strength) / held).toFixed(3)) };
}

/** What the normal map alone has: finest relief, and a detail map that lies on it. */
export interface Fine {
  crispness: number;
  crisp_size: number;
  /** Gain of the detail map; 0 where none was brought. */
  detail: number;
}

const MOST_CRISP = 200;

/** Finest relief and detail given to a height that holds some already: both gains of crispness multiply, details add. What
 * is more than it can hold stays with the normal. */
export function fineGivenBack(normal: Fine, held: Fine): { normal: Fine; held: Fine } {
  // Of two sizes the height keeps its own, once it has one.
  const size = held.crispness ? held.crisp_size : normal.crisp_size;
  const whole = (1 + normal.crispness / 100) * (1 + held.crispness / 100);
  const crisp = Math.min(MOST_CRISP, Number((100 * (whole - 1)).toFixed(1)));
  const left = Number((100 * (whole / (1 + crisp / 100) - 1)).toFixed(1)) || 0;
  const detail = Math.min(4, Number((held.detail + normal.detail).toFixed(3)));
  return {
    held: { crispness: crisp, crisp_size: size, detail },
    normal: {
      crispness: left,
      crisp_size: normal.crisp_size,
      detail: Number((held.detail + normal.detail - detail).toFixed(3)),
    },
  };
}
