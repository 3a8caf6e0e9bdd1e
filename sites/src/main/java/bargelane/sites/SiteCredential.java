package bargelane.sites;

/**
 * What lets us in.
 *
 * @param name as the engineer calls it
 * @param account who we are with it; empty for a token
 * @param secret a token, a password, or a private key in PEM or OpenSSH's form
 */
public record SiteCredential(String name, Type type, String account, String secret) {

  /** What kind of secret it is. */
  public enum Type {
    TOKEN,
    PASSWORD,
    KEY
  }

  public static SiteCredential token(String name, String token) {
    return new SiteCredential(name, Type.TOKEN, "", token);
  }

  @Override
  public String toString() {
    return name + " (" + type + ")";
  }
}
