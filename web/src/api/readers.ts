/**
 * The units that the reader has chosen. What the server answers is in the units it is kept in; it is turned into the reader's where it
 * comes in, so that every picture, table and scale has them alike, and what is typed is turned back where it goes out.
 *
 * A number belongs to the unit of the object that it is in, or of the nearest one around that. One kept as it was typed is remembered
 * beside (`kept_value`), so that what nobody changes goes back as it came.
 */

export interface Conversion {
  kept: string;
  read: string;
  factor: number;
  offset: number;
  decimals: number;
}

type Json = null | boolean | number | string | Json[] | { [key: string]: Json };
type Fields = { [key: string]: Json };

const IN_BROWSER = "kumpel.units";

function remembered(): Conversion[] {
  try {
    return JSON.parse(localStorage.getItem(IN_BROWSER) ?? "[]") as Conversion[];
  } catch {
    return [];
  }
}

let byUnit = new Map(remembered().map((each) => [each.kept, each]));

/** Takes the reader's units over; whether they were others. */
export function readIn(conversions: Conversion[]): boolean {
  const words = JSON.stringify(conversions);
  if (words === JSON.stringify([...byUnit.values()])) return false;
  byUnit = new Map(conversions.map((each) => [each.kept, each]));
  localStorage.setItem(IN_BROWSER, words);
  return true;
}

const MOST_DECIMALS = 6;
const rounded = (value: number, decimals: number) => Number(value.toFixed(Math.min(Math.max(decimals, 0), 12)));
const decimalsOf = (value: number) => Math.min(String(value).split(".")[1]?.length ?? 0, MOST_DECIMALS);

/** The unit that a kept one is read in. */
export const readUnit = (unit: string) => byUnit.get(unit)?.read ?? unit;

/** A kept value as it is read: with as many decimals as it has, or as it is stated with. */
export function readValue(value: number, unit: string, decimals = decimalsOf(value), difference = false): number {
  const found = byUnit.get(unit);
  if (!found) return value;
  const stated = rounded(value, decimals);
  return rounded(stated * found.factor + (difference ? 0 : found.offset), Math.max(decimals + found.decimals, 0));
}

/** How many decimals a value has when it is read. */
export const readDecimals = (decimals: number, unit: string) =>
  Math.max(decimals + (byUnit.get(unit)?.decimals ?? 0), 0);

/** A typed value as it is kept. */
export function keptValue(value: number, unit: string): number {
  const found = byUnit.get(unit);
  return found ? rounded((value - found.offset) / found.factor, MOST_DECIMALS) : value;
}

/** What one of the kept unit is in the reader's: for what may be typed beside it. */
export const isRead = (unit: string) => byUnit.has(unit);

/** What was never typed here, in the reader's unit, as a field shows it. */
export const readText = (value: unknown, unit: string) =>
  typeof value === "number" && isRead(unit)
    ? String(readValue(value, unit, Math.max(decimalsOf(value), 1 - readDecimals(0, unit))))
    : String(value);

/** The bounds of an entry as they are kept. */
export const keptBounds = (of: { unit: string; low: number | null; high: number | null }) => {
  const unit = keptUnit(of);
  const kept = (value: number | null) => (value === null || unit === of.unit ? value : keptValue(value, unit));
  return { low: kept(of.low), high: kept(of.high) };
};

/** The unit that something is kept in, whose unit may have been turned into the reader's. */
export const keptUnit = (of: { unit: string }) => (of as { kept_unit?: string }).kept_unit ?? of.unit;

/** What was typed over something, as it is kept; where that was not turned it is kept as typed. */
export const backTo = (of: { unit: string }, value: number) => (isTurned(of) ? keptValue(value, keptUnit(of)) : value);
const isTurned = (of: { unit: string }) => "kept_unit" in of && keptUnit(of) !== of.unit;

/** A value that was turned, as it is kept. */
export const keptOf = (of: { value: number }) => (of as { kept_value?: number }).kept_value ?? of.value;

const QUANTITY = /(?<![\w.,])([-−]?\d+(?:\.\d+)?) (km\/h|m\/s|km|°C|bar|kPa|kg|cm|m)(?![\w²³/°])/g;

/** A sentence of Kumpel's own with its quantities, or differences of them, in the reader's units. */
export function readWords(text: string, difference = false): string {
  if (byUnit.size === 0) return text;
  return text.replace(QUANTITY, (whole, number: string, unit: string) => {
    const found = byUnit.get(unit);
    if (!found) return whole;
    const decimals = number.split(".")[1]?.length ?? 0;
    const value = readValue(Number(number.replace("−", "-")), unit, decimals, difference);
    return `${value.toFixed(readDecimals(decimals, unit))} ${found.read}`;
  });
}

const VALUES = new Set("value low high limit at_least before after mean p95 lately reference lap also".split(" "));
/** How many have each value. */
const COUNTED = new Set(["values", "extremes"]);
/** What is in units of its own, or in somebody's own words: numbers of a formula, times of laps, what was changed. */
const AS_KEPT = new Set(["why", "courses", "curves", "changed", "taken"]);
/** What is a difference of two values, or a slope, with everything in it. */
const DIFFERENCES = new Set(["difference", "span", "trend", "told"]);
const WORDS = new Set(["words", "told", "note", "brief", "in_words", "about"]);

const isFields = (json: Json | undefined): json is Fields =>
  typeof json === "object" && json !== null && !Array.isArray(json);

interface Around {
  unit: string;
  decimals?: number | undefined;
  difference: boolean;
  /** The unit of each figure, for lines that say only which figure they are of. */
  figures: Map<string, string>;
}

function numbers(json: Json, around: Around): Json {
  if (typeof json === "number") {
    const decimals = around.decimals ?? Math.max(decimalsOf(json), 1);
    return readValue(json, around.unit, decimals, around.difference);
  }
  return Array.isArray(json) ? json.map((each) => numbers(each, around)) : json;
}

/** Distinct values with how many have each: only the values are in a unit. */
const counted = (rows: Json, around: Around): Json =>
  Array.isArray(rows)
    ? rows.map((row) => (Array.isArray(row) ? [numbers(row[0] ?? null, around), ...row.slice(1)] : row))
    : rows;

function table(json: Fields): Fields {
  const columns = (json.columns as Fields[]).map((column) => ({
    unit: String(column.unit ?? ""),
    decimals: typeof column.decimals === "number" ? column.decimals : 0,
    column,
  }));
  return {
    ...json,
    ...(typeof json.title === "string" ? { title: readWords(json.title) } : {}),
    columns: columns.map(({ column, unit, decimals }) => ({
      ...column,
      unit: readUnit(unit),
      ...(typeof column.decimals === "number" ? { decimals: readDecimals(decimals, unit) } : {}),
    })),
    rows: (json.rows as Json[][]).map((row) =>
      row.map((cell, i) => {
        const of = columns[i];
        return typeof cell === "number" && of && isRead(of.unit) ? readValue(cell, of.unit, of.decimals) : cell;
      }),
    ),
  };
}

function figuresOf(json: Fields, known: Map<string, string>): Map<string, string> {
  if (!Array.isArray(json.judgements)) return known;
  return new Map(json.judgements.flatMap((each) => (isFields(each) ? [[String(each.figure), String(each.unit)]] : [])));
}

/** Whether it was made by Kumpel, and not typed: a finding, a number of a group in words, a sentence. */
const isSentence = (key: string, of: Fields) =>
  WORDS.has(key) ||
  (key === "text" && "blocks" in of && !String(of.code).startsWith("off.")) ||
  (key === "value" && "label" in of && !("unit" in of));

function walk(json: Json, around: Around): Json {
  if (Array.isArray(json)) return json.map((each) => walk(each, around));
  if (!isFields(json)) return json;
  if (Array.isArray(json.columns) && Array.isArray(json.rows) && json.columns.every(isFields)) return table(json);
  const figures = figuresOf(json, around.figures);
  const ofLine = "lane" in json && typeof json.figure === "string" ? figures.get(json.figure) : undefined;
  const own = typeof json.unit === "string" ? json.unit : (ofLine ?? around.unit);
  const decimals = typeof json.decimals === "number" ? json.decimals : undefined;
  const here: Around = { unit: own, decimals, difference: around.difference, figures };
  const made: Fields = {};
  for (const [key, value] of Object.entries(json)) {
    const inside = DIFFERENCES.has(key) ? { ...here, difference: true } : here;
    if (key === "unit") made.unit = readUnit(own);
    else if (key === "decimals" && decimals !== undefined) made.decimals = readDecimals(decimals, own);
    else if (AS_KEPT.has(key)) made[key] = value;
    else if (typeof value === "string")
      made[key] = isSentence(key, json) ? readWords(value, here.difference || key === "in_words") : value;
    else if (COUNTED.has(key)) made[key] = counted(value, here);
    else if (
      isRead(own) &&
      (VALUES.has(key) || key === "difference") &&
      (typeof value === "number" || Array.isArray(value))
    )
      made[key] = numbers(value, inside);
    else made[key] = typeof value === "object" ? walk(value, inside) : value;
  }
  if (isRead(own)) {
    if (typeof json.unit === "string") made.kept_unit = own;
    if (typeof json.value === "number") made.kept_value = json.value;
  }
  return made;
}

/** Answers of these are about what was measured; what a recorder, a sensor or a course is described by stays as it is. */
const READ = /^\/api\/(sessions|people\/\d+\/years|groups|limit-sets|kinds)(\/|$)/;

/** An answer in the reader's units. */
export function inReadersUnits<T>(path: string, data: T): T {
  if (byUnit.size === 0 || !READ.test(path)) return data;
  return walk(data as Json, { unit: "", difference: false, figures: new Map() }) as T;
}
