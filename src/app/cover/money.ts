/** An amount in whatever money the prices are in. */
export function moneyText(amount: number): string {
  return amount.toLocaleString("en-GB", { minimumFractionDigits: 2, maximumFractionDigits: 2 });
}
