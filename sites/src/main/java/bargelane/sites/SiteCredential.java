package bargelane.sites;

import bargelane.core.net.Destinations;
import java.util.List;

/**
 * What lets us in.
 *
 * @param name as the engineer calls it
 * @param account who we are with it; empty for a token
 * @param secret a token, a password, or a private key in PEM or OpenSSH's form
 * @param destinations where it may be sent
 */
public record SiteCredential(
    String name, Type type, String account, String secret, Destinations destinations) {

  /** What kind of secret it is. */
  public enum Type {
    TOKEN,
    PASSWORD,
    KEY
  }

  /** A token that somebody gives together with the address that it is for. */
  public static SiteCredential token(String name, String token) {
    return new SiteCredential(
        name, Type.TOKEN, "", token, new Destinations(List.of(Destinations.ANY)));
  }

  @Override
  public String toString() {
    return name + " (" + type + ")";
  }
}
