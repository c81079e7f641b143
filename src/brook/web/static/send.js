// Large files go as they are, with how far they are; what the server says of them comes in place.
export function sending(root) {
  for (const form of root.querySelectorAll("form[data-send]")) {
    form.querySelector("button").disabled = false; // from now on it is known what to do
    form.addEventListener("submit", (event) => {
      event.preventDefault();
      send(form);
    });
  }
}

function send(form) {
  const file = form.querySelector("input[type=file]").files[0];
  const told = form.querySelector(".sent");
  const button = form.querySelector("button");
  const request = new XMLHttpRequest();
  request.open("POST", `${form.dataset.send}?name=${encodeURIComponent(file.name)}`);
  request.upload.onprogress = (event) => {
    told.textContent = event.lengthComputable ? `sent ${Math.floor((100 * event.loaded) / event.total)} %` : "sending";
  };
  request.onload = () => {
    button.disabled = false;
    if (request.status < 300) {
      told.innerHTML = request.responseText;
      window.htmx.process(told);
    } else told.textContent = said(request);
  };
  request.onerror = () => {
    button.disabled = false;
    told.textContent = "the server does not answer; try again";
  };
  button.disabled = true;
  told.textContent = "sending";
  request.send(file);
}

function said(request) {
  try {
    return JSON.parse(request.responseText).detail;
  } catch {
    return `not taken in (${request.status})`;
  }
}
