// Passkeys: the browser makes or uses one as the server's options say, and its answer goes into the
// form.
const supported = () => Boolean(window.PublicKeyCredential?.parseCreationOptionsFromJSON);

const options = async (address) => {
  const answer = await fetch(address, { method: "POST" });
  if (!answer.ok) throw new Error("refused");
  return answer.json();
};

const make = async (address) => {
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(await options(address));
  return navigator.credentials.create({ publicKey });
};

const use = async (address) => {
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(await options(address));
  return navigator.credentials.get({ publicKey });
};

export const passkey = () => ({
  problem: "",
  missing: !supported(),
  async send(event) {
    const form = event.target;
    event.preventDefault();
    this.problem = "";
    try {
      const act = form.dataset.act === "make" ? make : use;
      const credential = await act(form.dataset.options);
      form.elements.credential.value = JSON.stringify(credential.toJSON());
      form.submit();
    } catch {
      this.problem = "The browser gave no passkey. Try again, or use a code.";
    }
  },
});
