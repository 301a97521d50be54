/** The receiving domain of an address. */
export const domainOf = (address: string): string => address.slice(address.lastIndexOf('@') + 1);
