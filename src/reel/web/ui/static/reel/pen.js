// Drawing by hand on the live picture: a line is sent when it ends, and is then part of the picture that comes back.
import { post } from "./post.js";

document.addEventListener("DOMContentLoaded", () => {
  const pen = document.getElementById("pen"), image = document.querySelector("img[data-live]");
  if (!pen || !image) return;
  const tools = pen.querySelector(".pen-tools"), toggle = pen.querySelector("[data-pen=toggle]");
  const sheet = document.createElement("canvas");
  sheet.className = "pen-sheet";
  sheet.hidden = true;
  sheet.setAttribute("aria-hidden", "true");
  image.parentElement.classList.add("is-drawn-on");
  image.after(sheet);
  const context = sheet.getContext("2d");
  let points = null;

  const fit = () => {
    const box = image.getBoundingClientRect(), around = image.parentElement.getBoundingClientRect();
    sheet.width = box.width;
    sheet.height = box.height;
    sheet.style.left = `${box.left - around.left}px`;
    sheet.style.top = `${box.top - around.top}px`;
  };
  const scale = () => Number(pen.dataset.width) / sheet.width;
  const width = () => Math.max(1, Math.min(80, Number(pen.querySelector("[name=pen-width]").value) || 6));
  const ask = (what, stroke) => {
    const body = new FormData();
    body.append("do", what);
    if (stroke) body.append("stroke", JSON.stringify(stroke));
    return post(pen.dataset.address, body);
  };

  pen.addEventListener("click", (event) => {
    const what = event.target.closest("[data-pen]")?.dataset.pen;
    if (what === "toggle") {
      sheet.hidden = !sheet.hidden;
      tools.hidden = sheet.hidden;
      toggle.setAttribute("aria-pressed", String(!sheet.hidden));
      fit();
    } else if (what) ask(what);
  });
  const place = (event) => {
    const box = sheet.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  sheet.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    fit();
    sheet.setPointerCapture(event.pointerId);
    points = [place(event)];
    context.strokeStyle = pen.querySelector("[name=pen-colour]").value;
    context.lineWidth = width() / scale();
    context.lineCap = context.lineJoin = "round";
    context.beginPath();
    context.moveTo(...points[0]);
  });
  sheet.addEventListener("pointermove", (event) => {
    if (!points) return;
    points.push(place(event));
    context.lineTo(...points.at(-1));
    context.stroke();
  });
  sheet.addEventListener("pointerup", async () => {
    if (!points) return;
    const by = scale(), drawn = points.slice(0, 2000).map(([x, y]) => [Math.round(x * by), Math.round(y * by)]);
    points = null;
    await ask("add", { points: drawn, width_px: width(), colour: context.strokeStyle });
    setTimeout(() => context.clearRect(0, 0, sheet.width, sheet.height), 300); // by then it comes with the picture
  });
  new ResizeObserver(fit).observe(image);
});
