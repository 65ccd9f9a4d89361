/** The metronome: clicks on the beats of what is played, in its metre, for as long as it is wanted. */
import { player, usePlayer } from "../../sound/player";
import { Clicking } from "./clicking";
import { desk, useDesk } from "./state";

const LOOK_MS = 100;

/** From now on it is heard whenever something is played; recording has a click of its own. The result ends this. */
export function watchMetronome(): () => void {
  let timer = 0;
  let clicking = new Clicking();
  const look = () => {
    const { metronome, metronome_level: level } = desk().wishes;
    clicking.onward(metronome ? (level ?? 0.5) : 0);
  };
  const follow = () => {
    const { playing, recording } = usePlayer.getState();
    const beats = playing && !recording;
    if (beats === timer > 0) return;
    window.clearInterval(timer);
    timer = 0;
    if (!beats) return;
    clicking = new Clicking();
    timer = window.setInterval(look, LOOK_MS);
    look();
  };
  const ends = [
    usePlayer.subscribe(follow),
    useDesk.subscribe(({ wishes }, was) => {
      if (timer && wishes !== was.wishes) look();
    }),
  ];
  return () => {
    for (const end of ends) end();
    window.clearInterval(timer);
    player.hushClicks();
  };
}
