// What a clock that watches a player says, and what a round of a take holds, for tests/node/test_performing.py.

import { HeardClock } from "../../src/fern_tide/web/static/js/heard_clock.js";
import { RehearsalHand } from "../../src/fern_tide/web/static/js/rehearsal.js";
import { Round } from "../../src/fern_tide/web/static/js/take.js";

/** Look at a player at [ms, seconds] pairs; gives what each look said, and the sound's time at some ms then. */
export function clocked(looks, asked) {
  let at = 0;
  const clock = new HeardClock(() => looks[at][1]);
  const said = [];
  for (; at < looks.length; at += 1) said.push(clock.look(looks[at][0]));
  return { said, running: clock.isRunning, at: clock.at(asked), when: clock.when(clock.at(asked)) };
}

/** The seconds that a rehearsal hand taps of some, where a busy page first looks as late as is given, in ms, at a sound that plays from a second on. */
export async function tapped(times, begin, lateLook) {
  let playing = begin;
  const clock = new HeardClock(() => playing);
  clock.look(performance.now());
  const done = [];
  const hand = new RehearsalHand({ clock, late: 0, pad: { tap: (_strength, at) => done.push(clock.at(at)) } });
  hand.tap(times);
  const started = performance.now();
  while (performance.now() - started < lateLook); // busy
  for (let more = 0; more < 4; more += 1) {
    playing = begin + (performance.now() - started) / 1000;
    clock.look(performance.now());
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
  hand.stop();
  return done;
}

/** The same, where the sound goes back to a second after it played until another one. */
export async function tappedAgain(times, begin, until) {
  let playing = begin;
  const clock = new HeardClock(() => playing);
  clock.look(performance.now());
  const done = [];
  const hand = new RehearsalHand({ clock, late: 0, pad: { tap: (_strength, at) => done.push(clock.at(at)) } });
  hand.tap(times);
  for (let round = 0; round < 2; round += 1) {
    const started = performance.now();
    while (begin + (performance.now() - started) / 1000 < until) {
      playing = begin + (performance.now() - started) / 1000;
      clock.look(performance.now());
      await new Promise((resolve) => setTimeout(resolve, 15));
    }
  }
  hand.stop();
  return done;
}

export function taken(kind, begin, points, end) {
  const round = new Round({ kind, device: "keys", begin, latency: { ms: 40, from: "measured" } });
  for (const [seconds, values] of points) round.add(seconds, values);
  return round.plain(end);
}
