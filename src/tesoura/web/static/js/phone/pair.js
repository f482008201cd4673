// A phone that came by the picture has its secret behind #, which is sent to no server before it is asked for.
const secret = location.hash.slice(1);
if (secret) {
  const code = document.getElementById("code");
  code.value = secret;
  code.type = "hidden";
  document.getElementById("by-digits").hidden = true;
  document.getElementById("by-picture").hidden = false;
  history.replaceState(null, "", location.pathname);
}
