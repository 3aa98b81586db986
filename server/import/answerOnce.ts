/** The other side of `runLimited`: takes one order, sends one reply, and ends. */
export function answerOnce<Order, Reply>(work: (order: Order) => Promise<Reply> | Reply): void {
  process.on('disconnect', () => process.exit(0));
  process.once('message', (order) => {
    void Promise.resolve(work(order as Order)).then((reply) => process.send?.(reply));
  });
}
