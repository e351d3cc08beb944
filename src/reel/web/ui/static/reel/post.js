// What modules send by themselves, and what an answer says in words.
const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
export const post = (address, body) => fetch(address, { method: "POST", body, headers: { "X-CSRFToken": token, "HX-Request": "true" } });
export const said = async (answer) => new DOMParser().parseFromString(await answer.text(), "text/html").body.textContent.trim().slice(0, 300);
