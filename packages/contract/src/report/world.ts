/** Outlines of the countries, for maps. Loaded only where one is drawn, since they are large. */
import { geoNaturalEarth1, geoPath } from 'd3-geo';
import type { FeatureCollection, Geometry } from 'geojson';
import { alpha2ToNumeric } from 'i18n-iso-countries';
import { feature } from 'topojson-client';
import type { GeometryCollection, Topology } from 'topojson-specification';
import world from 'world-atlas/countries-110m.json' with { type: 'json' };

export const WORLD_WIDTH = 960;
export const WORLD_HEIGHT = 400;
/** Shares are shown by their square root, so that small ones differ from none. */
const SHADES = 5;
/** The far south is left out: it has no networks, and takes a sixth of the map. */
const LEFT_OUT = '010';

export interface Outline {
  /** ISO 3166-1 numeric; some areas have none. */
  readonly number: string | undefined;
  readonly name: string;
  /** As an SVG path has it, within the width and height of the world. */
  readonly path: string;
}

/** Every country, in the order in which they are drawn. */
export const OUTLINES: readonly Outline[] = drawOutlines();

function drawOutlines(): Outline[] {
  const topology = world as unknown as Topology<{ countries: GeometryCollection<{ name: string }> }>;
  const all = feature(topology, topology.objects.countries) as FeatureCollection<Geometry, { name: string }>;
  const shown = { ...all, features: all.features.filter(({ id }) => id !== LEFT_OUT) };
  const path = geoPath(
    geoNaturalEarth1().fitExtent(
      [
        [2, 2],
        [WORLD_WIDTH - 2, WORLD_HEIGHT - 2],
      ],
      shown,
    ),
  );
  return shown.features.map((outline) => ({
    number: outline.id === undefined ? undefined : String(outline.id),
    name: outline.properties.name,
    path: path(outline) ?? '',
  }));
}

/**
 * @param code ISO 3166-1 alpha-2
 * @returns the number that outlines have; undefined for an unknown code
 */
export function countryNumber(code: string): string | undefined {
  return alpha2ToNumeric(code);
}

/** From 1 on, by how much of the most a figure is. */
export function shadeOf(value: number, most: number): number {
  return Math.max(1, Math.ceil(Math.sqrt(value / Math.max(1, most)) * SHADES));
}
