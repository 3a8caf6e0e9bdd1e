package bargelane.api;

/**
 * A price book to take over, in place of one of that name.
 *
 * @param csv as docs/formats/price-book.md describes
 * @param dryRun only say what is wrong with it
 */
public record PriceBookAdd(String name, String csv, boolean dryRun) {}
