/** SoundFonts that the player has brought: each is an instrument that parts can be heard on, played by a kept library. */

import { answered, api, refusal, type Schemas, sendFile } from "../api/client";
import { askAnew } from "../api/queries";
import { player } from "../sound/player";
import { Members } from "./members";
import type { Out } from "./simulated";

export type Bank = Schemas["BankView"];

/** An output that is a SoundFont is named by this and its id. */
export const BANK = "bank ";
const CHANNELS = 16;

export const readBanks = () => answered<Bank[]>(api.GET("/api/banks"));

/** Keep a file in the account. Throws Refusal. */
export async function bringBank(file: File): Promise<Bank> {
  const { answer } = await sendFile<Bank>("/api/banks", file);
  await askAnew("banks");
  return answer;
}

export async function dropBank(bank_id: string): Promise<void> {
  await answered(api.DELETE("/api/banks/{bank_id}", { params: { path: { bank_id } } }));
  loaded.get(bank_id)?.then(({ synth }) => synth.destroy());
  loaded.delete(bank_id);
  await askAnew("banks");
}

interface Loaded {
  synth: import("spessasynth_lib").WorkletSynthesizer;
  /** Of each part the first of its sixteen channels. */
  first: Map<number, number>;
  zones: Map<number, Members>;
}

const loaded = new Map<string, Promise<Loaded>>();
const ready = new Map<string, Loaded>();

/** Read a bank into the sound; once. Throws where it cannot be read. */
export function loadBank(id: string): Promise<Loaded> {
  let bank = loaded.get(id);
  if (!bank) {
    bank = load(id);
    loaded.set(id, bank);
    bank.catch(() => loaded.delete(id));
  }
  return bank;
}

async function load(id: string): Promise<Loaded> {
  const [{ WorkletSynthesizer }, { default: processor }, response] = await Promise.all([
    import("spessasynth_lib"),
    import("spessasynth_lib/dist/spessasynth_processor.min.js?url"),
    fetch(`/api/banks/${id}/data`),
  ]);
  if (!response.ok) throw refusal(response.status, await response.json().catch(() => null));
  await player.startSound();
  await player.audio.audioWorklet.addModule(processor);
  const synth = new WorkletSynthesizer(player.audio);
  synth.connect(player.audio.destination);
  await synth.isReady;
  await synth.soundBankManager.addSoundBank(await response.arrayBuffer(), "main");
  const made = { synth, first: new Map<number, number>(), zones: new Map<number, Members>() };
  ready.set(id, made);
  return made;
}

/** The channels of a part on a bank: sixteen of its own, all with one program. */
export function bankOf(id: string, part: number, program: number | null, preset: number): Out | null {
  const bank = ready.get(id);
  if (!bank) return null;
  const first = channelsOf(bank, part);
  const zone = bank.zones.get(part) ?? new Members();
  bank.zones.set(part, zone);
  return {
    send(bytes, at) {
      // Its own program, whatever the take asks for, where the player has chosen one.
      if (program !== null && bytes[0]! >> 4 === 0xc) return;
      const time = player.audioTime(at);
      for (const one of zone.spread(bytes)) bank.synth.sendMessage(one, first, { time });
    },
    begin() {
      if (program === null) return;
      for (let channel = 0; channel < CHANNELS; channel++) {
        bank.synth.sendMessage([0xb0 | channel, 0, preset & 0x7f], first);
        bank.synth.sendMessage([0xc0 | channel, program], first);
      }
    },
  };
}

function channelsOf({ synth, first }: Loaded, part: number): number {
  const known = first.get(part);
  if (known !== undefined) return known;
  const made = first.size * CHANNELS;
  if (made) for (let channel = 0; channel < CHANNELS; channel++) synth.addNewChannel();
  first.set(part, made);
  return made;
}
