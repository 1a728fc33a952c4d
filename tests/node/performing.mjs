// What a clock that watches a player says, and what a round of a take holds, for tests/node/test_performing.py.

import { HeardClock } from "../../src/fern_tide/web/static/js/heard_clock.js";
import { Round } from "../../src/fern_tide/web/static/js/take.js";

/** Look at a player at [ms, seconds] pairs; gives what each look said, and the sound's time at some ms then. */
export function clocked(looks, asked) {
  let at = 0;
  const clock = new HeardClock(() => looks[at][1]);
  const said = [];
  for (; at < looks.length; at += 1) said.push(clock.look(looks[at][0]));
  return { said, running: clock.isRunning, at: clock.at(asked), when: clock.when(clock.at(asked)) };
}

export function taken(kind, begin, points, end) {
  const round = new Round({ kind, device: "keys", begin, latency: { ms: 40, from: "measured" } });
  for (const [seconds, values] of points) round.add(seconds, values);
  return round.plain(end);
}
