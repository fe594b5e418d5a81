// What the page has beside its own scripts.
declare const Alpine: any;
