/* The presses that the server has not answered yet, kept in the browser of one workshop in the order in which they
   were made. Used by the pages and by the worker that answers when the server does not. */
self.acts = (function () {
  "use strict";
  let opened = null, last = Promise.resolve();

  const database = () => opened || (opened = idb.openDB("piston-" + acts.workshop, 1, {
    upgrade(db) {
      db.createObjectStore("acts", { keyPath: "n", autoIncrement: true }).createIndex("key", "key", { unique: true });
      db.createObjectStore("notes");
    },
  }));

  /* One after the other, so that what was pressed first stands first and is seen by who looks after it. */
  const inTurn = (work) => (last = last.then(database, database).then(work));

  const add = (act) => inTurn(async (db) => {
    if (!(await db.getFromIndex("acts", "key", act.key))) await db.add("acts", act);
  });

  return {
    workshop: self.document ? document.body.dataset.workshop : "",
    add,
    all: () => inTurn((db) => db.getAll("acts")),
    put: (act) => inTurn((db) => db.put("acts", act)),
    drop: (key) => inTurn(async (db) => {
      const found = await db.getFromIndex("acts", "key", key);
      if (found) await db.delete("acts", found.n);
    }),
    note: (name) => inTurn((db) => db.get("notes", name)),
    noteDown: (name, value) => inTurn((db) => db.put("notes", value, name)),
  };
})();
