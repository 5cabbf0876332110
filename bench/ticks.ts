import { connect } from '../src/data/db';
import { tick } from '../src/server/flows';

/** A process that moves due runs until none is left; begins when it is told to. */
const db = connect(process.env.VIATIC_DATABASE_URL!, 4);
process.once('message', () => {
  const work = async () => {
    while (await tick(db));
  };
  void Promise.all([work(), work()])
    .then(() => db.destroy())
    .then(() => process.exit(0));
});
void db.raw('select 1').then(() => process.send?.('ready'));
