/** Two tones, again and again while it is on; made here, so that nothing has to be fetched for it. Browsers want a press before the first. */
export class Sound {
  private context: AudioContext | null = null;
  private timer: number | undefined;

  /** Has to be called from a press; says whether sound is possible. */
  async allow(): Promise<boolean> {
    this.context ??= new AudioContext();
    await this.context.resume();
    if (this.context.state === "running") this.beep(0.04);
    return this.context.state === "running";
  }

  start() {
    if (this.timer !== undefined) return;
    this.beep(0.4);
    this.timer = window.setInterval(() => this.beep(0.4), 1_500);
  }

  stop() {
    window.clearInterval(this.timer);
    this.timer = undefined;
  }

  close() {
    this.stop();
    void this.context?.close();
    this.context = null;
  }

  private beep(loud: number) {
    const { context } = this;
    if (context?.state !== "running") return;
    for (const [pitch, after] of [
      [660, 0],
      [880, 0.35],
    ] as const) {
      const tone = context.createOscillator();
      const level = context.createGain();
      const at = context.currentTime + after;
      tone.frequency.value = pitch;
      level.gain.setValueAtTime(0, at);
      level.gain.linearRampToValueAtTime(loud, at + 0.02);
      level.gain.setValueAtTime(loud, at + 0.26);
      level.gain.linearRampToValueAtTime(0, at + 0.3);
      tone.connect(level).connect(context.destination);
      tone.start(at);
      tone.stop(at + 0.32);
    }
  }
}
