// What an edit may say: edit.moveKey({ shape, … }) is the command "move key" of the server's register.
// Their types are in ops/js/commands.d.ts, which ops/command_types.py writes from the register whenever types are checked.

const inWords = (name) => name.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`);

export const edit = new Proxy(/** @type {Commands} */ ({}), { get: (_, name) => (said) => ({ do: inWords(name), ...said }) });
