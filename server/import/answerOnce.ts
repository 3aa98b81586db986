/** What the process sends: how far it is, as often as it likes, and at last the reply. */
export type FromLimited<Reply, Progress> = { progress: Progress } | { reply: Reply };

/** The other side of `runLimited`: takes one order, sends one reply, and ends. */
export function answerOnce<Order, Reply, Progress>(
  work: (order: Order, tell: (progress: Progress) => void) => Promise<Reply> | Reply,
): void {
  const send = (message: FromLimited<Reply, Progress>): void => void process.send?.(message);
  process.on('disconnect', () => process.exit(0));
  process.once('message', (order) => {
    const tell = (progress: Progress): void => send({ progress });
    void Promise.resolve(work(order as Order, tell)).then((reply) => send({ reply }));
  });
}
