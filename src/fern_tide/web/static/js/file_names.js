// What the names of files say: what comes of them, and what the stems of a song are called.

/** What a file that comes into the Sound room becomes: a track, or what plays or moves by itself. Pure. */
export const takenAs = (name) => (/\.(mid|midi|csv|json)$/i.test(name) ? "curves" : "tracks");

/** What the stems of a song are called together: the words that their names begin with, or the first one's name. Pure. */
export function songOf(names) {
  const bare = names.map((name) => name.replace(/\.[^.]*$/, ""));
  const whole = bare[0];
  let n = 0;
  while (n < whole.length && bare.every((name) => name[n] === whole[n])) n += 1;
  if (n === whole.length) return whole;
  const inWord = bare.some((name) => /[\p{L}\p{N}]/u.test(name[n] ?? ""));
  const common = whole.slice(0, n).replace(inWord ? /[\p{L}\p{N}]+$/u : "", "").replace(/[^\p{L}\p{N})\]!?]+$/u, "");
  return /\p{L}{2}/u.test(common) ? common : whole;
}

/** The name of a stem without that of its song, which its project has. Pure. */
export function nameWithout(song, name) {
  const [, bare, ending] = name.match(/^(.*?)(\.[^.]*)?$/su);
  const rest = song && bare.startsWith(song) ? bare.slice(song.length).replace(/^[^\p{L}\p{N}([]+/u, "") : "";
  return rest ? `${rest}${ending ?? ""}` : name;
}
