package bargelane.core.site;

import java.text.Normalizer;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Pattern;

/**
 * What a site takes as a machine's name.
 *
 * @param longest characters; 0 where it is not told
 * @param plain whether a name is of lower-case ASCII letters, digits and hyphens, begins with a
 *     letter and does not end with a hyphen (RFC 1123, section 2.1, without leading digits)
 * @param without characters that a name can't have, where it need not be plain
 */
public record NameRule(int longest, boolean plain, String without) {

  private static final Pattern PLAIN = Pattern.compile("[a-z]([a-z0-9-]*[a-z0-9])?");

  /** Every name. */
  public static final NameRule ANY = new NameRule(0, false, "");

  public NameRule {
    without = without == null ? "" : without;
  }

  /** What is wrong with a name, as a sentence's part; none if nothing is. */
  public Optional<String> refuses(String name) {
    if (name.isBlank()) {
      return Optional.of("is empty");
    }
    if (longest > 0 && name.length() > longest) {
      return Optional.of(
          "has " + name.length() + " characters, and at most " + longest + " are allowed");
    }
    if (plain && !PLAIN.matcher(name).matches()) {
      return Optional.of(
          "is not of lower-case letters, digits and hyphens alone, with a letter first");
    }
    return name.chars()
        .filter(c -> c < ' ' || without.indexOf(c) >= 0)
        .mapToObj(c -> c < ' ' ? "has a control character" : "has the character " + (char) c)
        .findFirst();
  }

  /** A name that is taken, as close to this one as can be. */
  public String fit(String name) {
    return fit(name, "");
  }

  /**
   * A name that is taken: as much of this one as can be, and all of an ending.
   *
   * @param ending of letters, digits and hyphens, shorter than what is taken
   */
  public String fit(String name, String ending) {
    StringBuilder fit = new StringBuilder();
    String text =
        plain
            ? Normalizer.normalize(name, Normalizer.Form.NFKD)
                .replaceAll("\\p{M}+", "")
                .toLowerCase(Locale.ROOT)
            : name;
    text.chars()
        .forEach(
            c -> {
              boolean taken =
                  plain
                      ? c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-'
                      : c >= ' ' && without.indexOf(c) < 0;
              fit.append(taken ? (char) c : '-');
            });
    if (plain && (fit.length() == 0 || fit.charAt(0) < 'a')) {
      fit.insert(0, 'm');
    }
    int room = longest > 0 ? Math.max(1, longest - ending.length()) : Integer.MAX_VALUE;
    if (fit.length() > room) {
      fit.setLength(room);
    }
    while (plain && fit.length() > 1 && fit.charAt(fit.length() - 1) == '-') {
      fit.setLength(fit.length() - 1);
    }
    return (fit.toString().isBlank() ? "machine" : fit.toString()) + ending;
  }
}
