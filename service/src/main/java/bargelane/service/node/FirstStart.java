package bargelane.service.node;

import bargelane.service.account.Accounts;
import bargelane.service.account.Tokens;
import bargelane.service.platform.Ids;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;

/** What a node leaves in its home for whoever owns it. */
final class FirstStart {

  private static final String HERE = "127.0.0.1";

  private FirstStart() {}

  /**
   * The first start makes the account that everything begins with, and a token for programs of the
   * home's owner.
   */
  static void account(Path home, Accounts accounts, Tokens tokens) throws IOException {
    if (accounts.none()) {
      // The file first: a start that dies in between must not leave a password that nobody knows.
      Path signIn = home.resolve("sign-in");
      String password = Ids.secret().substring(0, 12);
      write(signIn, "account: engineer\npassword: " + password + "\n");
      if (!accounts.first("engineer", password)) {
        // Another node made the account in the same moment; its home has the password.
        Files.delete(signIn);
      }
    }
    if (!Files.exists(home.resolve("token"))
        || tokens.caller(Files.readString(home.resolve("token")).strip(), HERE).isEmpty()) {
      write(home.resolve("token"), tokens.ofHome(accounts.oldestKeeper()) + "\n");
    }
  }

  /** Writes a file that only the service's user can read, whole or not at all. */
  static void write(Path file, String content) throws IOException {
    Path fresh = file.resolveSibling(file.getFileName() + ".new");
    Files.deleteIfExists(fresh);
    Files.createFile(
        fresh, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    Files.writeString(fresh, content);
    Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
  }
}
