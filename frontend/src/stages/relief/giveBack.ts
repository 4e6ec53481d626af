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
