import { regional } from "@/ui/regional";

/** An amount in the organisation's currency, by its code: "EUR 1,240.00". */
export function moneyText(amount: number): string {
  const { currency } = regional();
  const number = amount.toLocaleString("en-GB", { minimumFractionDigits: 2, maximumFractionDigits: 2 });
  return currency === null ? number : `${currency} ${number}`;
}
