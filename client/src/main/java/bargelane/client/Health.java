package bargelane.client;

import java.nio.file.Path;

/**
 * Asks the service of a home how it is, for the launcher: prints {@code up}, the code of what it
 * answers instead, or {@code away}.
 */
public final class Health {

  private Health() {}

  public static void main(String[] args) {
    System.out.println(of(Path.of(args[0])));
  }

  static String of(Path home) {
    try {
      return ApiClient.ofHome(home).get("/health").path("status").asText();
    } catch (ApiClient.ProblemException e) {
      return e.problem().code();
    } catch (ApiClient.UntrustedException e) {
      return "untrusted";
    } catch (java.io.IOException | ApiClient.UnreachableException e) {
      return "away";
    }
  }
}
