// Files from this browser: sent in pieces, going on where they stopped when a page or a connection went.
import { post, said } from "./post.js";

const drop = document.querySelector("[data-drop]"), list = document.querySelector("[data-sending]");
const PIECE = 8 << 20;

async function send(file, row) {
  const tell = (text, wrong) => { row.textContent = `${file.name}: ${text}`; row.classList.toggle("loss", !!wrong); };
  const facts = new FormData();
  for (const [name, value] of Object.entries({ name: file.name, size: file.size, modified: file.lastModified })) facts.append(name, value);
  const begun = await post(drop.dataset.begin, facts);
  if (!begun.ok) return tell(await said(begun), true);
  let { at, address } = await begun.json();
  for (let tries = 0; at < file.size;) {
    tell(`${Math.floor(at / file.size * 100)} %`);
    try {
      const answer = await post(`${address}?at=${at}`, file.slice(at, at + PIECE));
      if (!answer.ok && answer.status !== 409) return tell(await said(answer), true);
      ({ at } = await answer.json());
      tries = 0;
    } catch (error) {
      if (++tries > 60) return tell("the connection is gone; drop it again and it goes on", true);
      tell("the connection is gone; it is tried again", true);
      await new Promise((done) => setTimeout(done, 2000));
    }
  }
  row.remove();
  htmx.trigger(document.body, "bring-changed");
}
async function sendAll(files) {
  for (const [file, row] of [...files].map((one) => [one, list.appendChild(document.createElement("li"))])) {
    row.textContent = `${file.name}: waits`;
    file.row = row;
  }
  for (const file of files) await send(file, file.row);
}
document.getElementById("files").addEventListener("change", ({ target }) => { sendAll([...target.files]); target.value = ""; });
for (const name of ["dragover", "dragenter"]) drop.addEventListener(name, (event) => { event.preventDefault(); drop.classList.add("is-over"); });
for (const name of ["dragleave", "drop"]) drop.addEventListener(name, () => drop.classList.remove("is-over"));
drop.addEventListener("drop", (event) => { event.preventDefault(); sendAll([...event.dataTransfer.files]); });
