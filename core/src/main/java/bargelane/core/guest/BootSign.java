package bargelane.core.guest;

import bargelane.core.word.Worded;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * What a guest's console says of how its start goes or ended: the sentences of kernels, loaders,
 * firmware and the usual initial RAM file systems. The first constant that is found counts, so what
 * says most stands before what follows from it.
 */
public enum BootSign implements Worded {
  NO_ROOT_DISK(
      "no-root-disk",
      true,
      "ALERT! +\\S+ does not exist|Gave up waiting for (?:the )?root|Unable to mount root fs"
          + "|Warning: /dev/\\S+ does not exist|Cannot open root device",
      "the kernel started, and does not find the disk of its root file system",
      "look at the refit: the initramfs lacks a driver, or the loader names a disk that is not there"),
  PASSPHRASE(
      "passphrase-asked",
      false,
      "^(?:Please (?:unlock disk|enter passphrase for)|Enter passphrase for)",
      "the guest waits for the passphrase of an encrypted disk",
      "give it at the guest's console, or have the guest unlock its disks by itself at the source"),
  LOADER_REFUSED(
      "loader-refused",
      true,
      "failed to (?:load|start) Boot\\S+ .*: (?:Access Denied|Security Violation)",
      "the firmware refuses the loader: it starts signed ones only, and this one is not",
      "make the machine without Secure Boot, or sign the guest's loader at the source"),
  NO_BOOTABLE_DISK(
      "no-bootable-disk",
      true,
      "No bootable (?:device|option)|UEFI Interactive Shell",
      "the firmware finds nothing that it can start",
      "compare the machine's firmware, BIOS or UEFI, with how its first disk is made"),
  LOADER(
      "loader-stopped",
      true,
      "^grub(?: rescue)?>|^error: (?:no such (?:device|partition)|unknown filesystem|file .* not found)"
          + "|^Failed to load ldlinux",
      "the boot loader stopped before the kernel",
      "mend the guest's boot loader at the source, and wait for the next pass"),
  PANIC(
      "kernel-panic",
      true,
      "Kernel panic - not syncing",
      "the kernel stopped with a panic",
      "read what the console says before it"),
  EMERGENCY(
      "emergency-mode",
      true,
      "^(?:You are in|Welcome to|Entering) (?:emergency|rescue) mode|^Give root password for maintenance",
      "the guest stopped in emergency mode: something that it needs at its start failed",
      "look in its /etc/fstab for disks that stayed behind; mark them nofail at the source"),
  INITRAMFS_SHELL(
      "initramfs-shell",
      true,
      "^\\(initramfs\\)|^dracut:/#|^Dropping to a shell",
      "the start ended in the shell of the initramfs",
      "read what the console says before it"),
  NO_NETWORK(
      "network-failed",
      false,
      "FAILED\\S* Failed to start \\S*(?:networking|NetworkManager|systemd-networkd)",
      "the guest's network did not come up",
      "look at the refit: its card may have another name there"),
  SILENT(
      "silent-since-firmware",
      false,
      "^Booting from Hard Disk\\.{3}\\s*\\z",
      "the firmware handed over to the disk's loader, and nothing came on the serial console since",
      "look at the guest's screen if its kernel writes there; otherwise mend its boot loader at the"
          + " source"),
  LOGIN(
      "login-reached",
      false,
      "\\S login:\\s*$",
      "the guest came up to its login",
      "see that its service starts by itself and listens on the planned address and port");

  /** What happened before an emergency. */
  private static final Pattern BEFORE =
      Pattern.compile(
          "(?m)(?:Timed out waiting for device|Dependency failed for|Failed to mount).*");

  /** A kernel's time stamp before a line. */
  private static final String STAMP = "(?:\\[ *\\d+\\.\\d+\\] *)?";

  private final String word;
  private final boolean end;
  private final Pattern pattern;
  private final String cause;
  private final String advice;

  BootSign(String word, boolean end, String pattern, String cause, String advice) {
    this.word = word;
    this.end = end;
    this.pattern = Pattern.compile("(?m)" + pattern.replace("^", "^" + STAMP));
    this.cause = cause;
    this.advice = advice;
  }

  /** A sign, and the line of the console that it was found in. */
  public record Seen(BootSign sign, String line) {}

  /**
   * What a console says.
   *
   * @param console as {@link ConsoleText} gives it
   */
  public static Optional<Seen> in(String console) {
    for (BootSign sign : values()) {
      Matcher m = sign.pattern.matcher(console);
      if (m.find()) {
        Matcher before = BEFORE.matcher(console);
        boolean told = sign == EMERGENCY && before.find();
        int at = told ? before.start() : m.start();
        int from = console.lastIndexOf('\n', at) + 1;
        int to = console.indexOf('\n', at);
        return Optional.of(
            new Seen(sign, console.substring(from, to < 0 ? console.length() : to).strip()));
      }
    }
    return Optional.empty();
  }

  /** Whether nothing more is to be expected of this start. */
  public boolean isEnd() {
    return end;
  }

  /** What has happened, as a sentence without its full stop. */
  public String cause() {
    return cause;
  }

  /** What a person can do. */
  public String advice() {
    return advice;
  }

  @Override
  public String word() {
    return word;
  }
}
