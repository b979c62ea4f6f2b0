/**
 * One request at a time, and only the newest of those that wait: what a dragged value needs. Answers that were
 * overtaken are dropped.
 */
export class Latest<Question, Answer> {
  private running = false;
  private waiting: { question: Question } | null = null;
  private generation = 0;

  constructor(
    private readonly ask: (question: Question) => Promise<Answer>,
    private readonly taken: (answer: Answer) => void,
    private readonly failed: (error: unknown) => void,
  ) {}

  /** Ask when the running request is done, in place of whatever waited. */
  push(question: Question): void {
    this.waiting = { question };
    void this.run();
  }

  /** Forget what waits and drop the answer that is on its way. */
  cancel(): void {
    this.waiting = null;
    this.generation += 1;
  }

  private async run(): Promise<void> {
    if (this.running) return;
    this.running = true;
    while (this.waiting) {
      const { question } = this.waiting;
      this.waiting = null;
      const generation = this.generation;
      try {
        const answer = await this.ask(question);
        if (generation === this.generation) this.taken(answer);
      } catch (error) {
        if (generation === this.generation) this.failed(error);
      }
    }
    this.running = false;
  }
}
