package bargelane.text;

/** How many there are of something. */
public final class Counts {

  private Counts() {}

  /** A number and what it counts, such as {@code 1 file} and {@code 2 files}. */
  public static String of(long number, String one) {
    return of(number, one, one + "s");
  }

  /** The same for what has another plural, or a verb with it: {@code 1 file changes}. */
  public static String of(long number, String one, String more) {
    return number + " " + (number == 1 ? one : more);
  }
}
