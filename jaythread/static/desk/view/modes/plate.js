// The plate by itself.

export const plate = { id: "plate", act: "plate", label: "plate", hint: "1", key: "1", says: "The plate", needsMatte: false, paint() {} };
