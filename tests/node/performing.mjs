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
  const { go, done } = hearing(times, begin);
  const started = performance.now();
  while (performance.now() - started < lateLook); // busy
  await go(started, (lateLook + 120) / 1000);
  return done();
}

/** A rehearsal hand that taps at a sound from a second on: go() plays until so many seconds after a moment, done() gives what it tapped. */
function hearing(times, begin) {
  let playing = begin;
  const clock = new HeardClock(() => playing);
  clock.look(performance.now());
  const taps = [];
  const hand = new RehearsalHand({ clock, late: 0, pad: { tap: (_strength, at) => taps.push(clock.at(at)) } });
  hand.tap(times);
  const go = async (started, seconds) => {
    for (let heard = 0; heard < seconds; heard = (performance.now() - started) / 1000) {
      playing = begin + (performance.now() - started) / 1000;
      clock.look(performance.now());
      await new Promise((resolve) => setTimeout(resolve, 15));
    }
  };
  return { go, done: () => (hand.stop(), taps) };
}

/** The same, where the sound goes back to a second after it played until another one. */
export async function tappedAgain(times, begin, until) {
  const { go, done } = hearing(times, begin);
  for (let round = 0; round < 2; round += 1) await go(performance.now(), until - begin);
  return done();
}

export function taken(kind, begin, points, end) {
  const round = new Round({ kind, device: "keys", begin, latency: { ms: 40, from: "measured" } });
  for (const [seconds, values] of points) round.add(seconds, values);
  return round.plain(end);
}
