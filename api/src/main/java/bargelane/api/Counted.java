package bargelane.api;

/** Counts in words. */
public final class Counted {

  private Counted() {}

  /**
   * How many machines have a verdict: {@code 24 go}, {@code 12 go after a fix}, {@code 1 stays}.
   */
  public static String verdict(String verdict, long machines) {
    boolean one = machines == 1;
    return machines
        + switch (verdict) {
          case "goes" -> one ? " goes" : " go";
          case "goes after" -> one ? " goes after a fix" : " go after a fix";
          case "stays" -> one ? " stays" : " stay";
          default -> " " + verdict;
        };
  }
}
