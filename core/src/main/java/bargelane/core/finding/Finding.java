package bargelane.core.finding;

/**
 * Something in the way: the thing it is about, its cause, what mends it and who can.
 *
 * @param code stable, from {@link Code}
 */
public record Finding(Code code, String thing, String cause, Remedy remedy, Who who) {

  public Finding(Code code, String thing, String cause, String advice, Who who) {
    this(code, thing, cause, Remedy.advice(advice), who);
  }

  /** Who can mend it. */
  public enum Who {
    ENGINEER,
    SITE_OWNER,
    SERVICE
  }

  public boolean blocks() {
    return code.blocks;
  }

  /** The one catalogue of findings. */
  public enum Code {
    SITE_UNREACHABLE(
        true,
        "The site does not answer at its address.",
        "See that its host is up and that the way there is open; then check it again."),
    SITE_TOKEN_REFUSED(
        true,
        "The site refuses the credential.",
        "Replace the secret, or give the site another credential."),
    SITE_PERMISSION_MISSING(
        true,
        "The credential may not do something that is needed there.",
        "Grant what the finding names; docs/sites.md lists the least of each kind of site."),
    CREDENTIAL_NOT_FOR_SERVER(
        true,
        "No credential of the site may be sent to this server.",
        "Store the secret anew, with this server among its destinations."),
    SITE_CLOCK_OFF(
        false,
        "The clock of a site, or of a guest with an agent, differs from the service's.",
        "Have both follow a time server."),
    SITE_VERSION_UNKNOWN(
        false,
        "The version of the platform was not tried.",
        "See a test cutover through before you rely on it."),
    SITE_VERSION_UNFIT(
        true,
        "The version of the platform lacks what is needed.",
        "Have it upgraded to the version that the finding names."),
    SITE_PROGRAM_MISSING(
        true,
        "A program that is needed on the host is not installed.",
        "Install the package that the finding names."),
    SITE_ROOM_SHORT(
        false,
        "The site has little room left for snapshots or copies.",
        "Make room there, or choose another storage."),
    SITE_PACKAGE_DAMAGED(
        true, "An exported package is not what its manifest says.", "Export it again."),
    SITE_EMPTY(
        false,
        "Nothing is at the site yet.",
        "Add servers to it, or paste the line for an agent on a machine."),
    SERVER_KEY_UNKNOWN(
        true,
        "The host key of a server is not approved yet, so nothing is offered to it.",
        "Compare the fingerprint on the server and approve it."),
    SERVER_KEY_CHANGED(
        true,
        "A server shows another host key than the one that was approved.",
        "Find out why before you approve the new one."),
    SERVER_ANSWER_INVALID(
        true,
        "A server answered something that can't be read.",
        "See what its login prints, and that the account's shell is a plain one."),
    SERVER_FACT_UNREAD(
        false,
        "A fact of a server could not be read.",
        "Give the account the right that the finding names, or leave it."),
    AGENT_SILENT(
        true,
        "An agent has not reported for some time.",
        "See that it runs in the guest and reaches the service's port for agents."),
    AGENT_ANSWER_INVALID(
        true,
        "An agent reports something that can't be read.",
        "Install the agent of this version."),
    AGENT_WAITS(
        false,
        "A second agent tells of a machine that has one.",
        "Approve it if the first is gone, or remove it."),
    DISK_KEEPS_NO_CHANGES(
        false,
        "The format of a disk keeps no list of changes, so every pass compares the whole disk.",
        "Convert the disk to a format that does, or allow for longer passes."),
    MACHINE_VANISHED(
        true,
        "The machine was not there when its site was read last.",
        "Scan the site again; take the machine out of the wave if it is gone."),
    SIZE_NOT_CHOSEN(
        true,
        "No size at the target is chosen for the machine.",
        "Accept an assessment, or choose a size."),
    SIZE_NOT_OFFERED(
        true, "The target does not offer the chosen size.", "Choose one that it offers."),
    SIZE_TOO_SMALL(
        false,
        "The chosen size has less than the machine is built with.",
        "Choose a larger one, unless this is meant."),
    SIZE_STALE(
        false,
        "The assessment that the size came from has a newer revision.",
        "Accept the new revision, or keep the size by choosing it by hand."),
    NO_SIZE_FITS(
        true,
        "No size that is allowed fits the machine.",
        "Allow more families, or change what it must carry."),
    FACT_MISSING(
        false,
        "A fact that the assessment needs is not known.",
        "Have the machine read from inside, or give the fact in a list."),
    DISK_TOO_LARGE(
        true,
        "A disk is larger than the target's storage allows.",
        "Choose another class, or split the disk in the guest."),
    DISK_DEMAND_UNMET(
        true, "A disk was seen doing more than the storage class can.", "Choose a faster class."),
    DISK_DETACHED(
        true,
        "A loaded wave copies a disk that its machine does not have any more.",
        "Attach it again, or plan the machine anew without it."),
    DISK_CARRIED(
        false,
        "A disk of the machine is carried to the target by a storage system, as the lane decides.",
        "Have the storage system carry on until the machine has landed; a cutover waits for it."),
    CARRIED_MISSING(
        true,
        "The target does not tell of the volume that a storage system is to fill for a carried disk.",
        "Have the storage system make it and scan the target, or name the volume that it is."),
    CARRIED_UNFIT(
        true,
        "The volume that a carried disk arrives on can't be the machine's disk.",
        "See to it in the storage system, or name another volume for the disk."),
    CARRIED_BEHIND(
        false,
        "A carried disk is of another instant than the copied ones, by more than is allowed.",
        "Have the storage system carry more often, or allow more if the guest stands it."),
    DISK_LEFT_OUT(
        false,
        "A disk of the machine is not copied, as the lane decides.",
        "See that nothing in the guest needs it, or have it copied."),
    COPY_ELSEWHERE(
        false,
        "The copy of a disk lies in another class, or under another key, than the lane decides.",
        "Take the machine out of the wave and plan it anew, or decide what is."),
    FIRST_DISK_LEFT_OUT(
        true,
        "The disk that the machine starts from is left out.",
        "Have it copied, or take the machine out of the wave."),
    DISK_NOT_COPIED(
        true,
        "A machine of a loaded wave has a disk that no pass copies.",
        "Have it taken in by the next pass, or detach it."),
    DISK_SHARED(
        false,
        "A disk is attached to several machines.",
        "Move these machines together, and see how the target shares a disk."),
    DISKS_TOO_MANY(
        true,
        "The machine has more disks than the size can have.",
        "Choose a size that can have more."),
    LICENCE_NOT_CHOSEN(
        false,
        "It is not said how the system is licensed at the target.",
        "Say it in the assessment's assumptions."),
    LICENCE_TIED(
        false,
        "A licence is tied to hardware or to a number of processors.",
        "Ask its owner before the machine moves."),
    SYSTEM_OUT_OF_SUPPORT(
        false,
        "The operating system is out of its maker's support.",
        "Plan its upgrade, or have somebody accept that."),
    SYSTEM_SUPPORT_ENDS(false, "The operating system is out of support soon.", "Plan its upgrade."),
    SYSTEM_UNKNOWN(
        false,
        "The operating system is not known, so nothing is said of its fitness.",
        "Have the machine read from inside, or see a test cutover through."),
    BOOT_LEGACY(
        false,
        "The machine is started by BIOS, and the target prefers UEFI.",
        "See that the chosen size starts machines by BIOS."),
    DEVICE_UNSUPPORTED(
        false,
        "The machine has a device that the target does not have.",
        "See whether the guest needs it."),
    ADDRESS_IN_USE(
        false,
        "Others reach the machine by an address that will change.",
        "Plan what has to be changed at them."),
    CLOCK_OFF(false, "The clock of a guest is wrong.", "Have it follow a time server."),
    ROOM_FOR_REFIT_SHORT(
        false,
        "A file system of the guest has too little room for the refit's changes.",
        "Make room there."),
    PLATFORM_AGENT_PRESENT(
        false,
        "An agent of the old platform runs in the guest.",
        "It is disabled by the refit, and enabled on the way home."),
    CHANGES_NOT_TRACKED(
        false,
        "The platform does not track the changes of a disk.",
        "Allow for passes that compare the whole disk."),
    HOUSE_RULE(false, "A rule of the house applies to the machine.", "Do what the rule says."),
    FIRMWARE_NOT_OFFERED(
        true,
        "The target has no firmware of the kind that the machine is started by.",
        "Have it installed there, and check the site again."),
    NETWORK_NOT_JOINED(
        true,
        "A network of the source is joined to no subnet.",
        "Join it; lane suggest names one."),
    SUBNET_UNKNOWN(
        true,
        "A join leads to a subnet that the target does not have.",
        "Join it to one that is there."),
    SUBNET_FULL(
        true,
        "A subnet has no free address left.",
        "Have it extended, or join the network to another one."),
    SUBNET_RANGE_UNKNOWN(
        false,
        "The platform gives no range for a subnet, so addresses can't be checked.",
        "See yourself that the addresses are good there."),
    ADDRESS_OUTSIDE_SUBNET(
        true,
        "An address that is to be kept is outside of the subnet.",
        "Join the network to a subnet that holds it, or do not keep addresses."),
    ADDRESS_RESERVED(
        true,
        "The platform keeps an address of the subnet for itself.",
        "Choose another address for the card."),
    RANGE_OVERLAPS(
        true,
        "A range of the source overlaps another one of the target, so the two can't be told apart there.",
        "Have one renumbered, or accept it if nobody at the target has to reach both."),
    RANGE_DIVIDED(
        false,
        "A range is at both ends, and machines in it that talk with each other move at different times.",
        "Move them together, extend the network between the sites, or give them addresses of another range."),
    RULES_DIFFER(
        true,
        "Two labels of a machine decide one thing differently.",
        "Decide it for the machine."),
    NAME_REFUSED(
        true,
        "The target does not take the machine's name, or another machine is to have it.",
        "Give the machine another name there."),
    LINK_CLOSED(
        true,
        "An end of the lane could not be reached from the service when its link was measured.",
        "Open the way to the address that the finding names, then measure the link again."),
    PORT_CLOSED(
        false,
        "Clients that were seen to connect to the machine are not let in at the target.",
        "See what is proposed, and accept it, or leave them out."),
    ZONE_UNKNOWN(true, "The target does not have the zone.", "Choose one that it has."),
    ZONE_UNFIT(
        true,
        "The size or the subnet is not offered in the machine's zone.",
        "Choose another zone, size or subnet."),
    ZONES_NOT_APART(
        true,
        "Machines that are to be apart are in one zone, or those that are to be together in several.",
        "Choose their zones accordingly."),
    BOOT_PROTECTION_UNFIT(
        true,
        "The machine can't be started under boot protection.",
        "Switch boot protection off for it, or have its guest changed to UEFI first."),
    LICENCE_MISSING(
        true,
        "The target runs the system only under a licence, and none is chosen.",
        "Choose one of those that the finding names."),
    LICENCE_REFUSED(
        true,
        "The target does not offer the chosen licence for the system.",
        "Choose one of those that the finding names."),
    SOCKETS_UNFIT(
        true,
        "The machine's processors can't be shared evenly by the sockets that are chosen.",
        "Choose a number of sockets that divides them."),
    CHOICE_NOT_OFFERED(
        true,
        "The target does not have the project, the identity or the key that is chosen.",
        "Choose one of those that the finding names, or ask the target's owner for it."),
    ADDRESS_TAKEN(
        true,
        "An address that is to be kept is used by another machine there.",
        "Free it there, or do not keep addresses."),
    STORAGE_NOT_JOINED(
        true, "A storage of the source is joined to no class.", "Join it; lane suggest names one."),
    STORAGE_UNKNOWN(
        true,
        "A join leads to a storage class that the target does not have.",
        "Join it to one that is there."),
    QUOTA_MACHINES(
        true, "The target's quota of machines is too small.", "Ask the target's owner for more."),
    QUOTA_VOLUMES(
        true, "The target's quota of volumes is too small.", "Ask the target's owner for more."),
    SNAPSHOT_NARROWER_THAN_TOW(
        false,
        "The platform can't snapshot all machines of the wave at one instant.",
        "Its points are labelled with the spread; split the wave, or accept that."),
    NOT_LOADED(true, "No full pass is complete.", "Load the wave."),
    NO_POINT(
        true,
        "There is no recovery point that can be used.",
        "Load the wave, or look at another site."),
    POINT_UNREADABLE(
        false,
        "Recovery points of another service can't be read.",
        "They are left as they are; see what the finding says of the first."),
    SERVICE_MAY_LIVE(
        true,
        "The service that made the newest point may still work.",
        "See that it is gone for good, and say so."),
    WAVE_RUNS_IN_PART(
        true,
        "Only some machines of a wave run at the site.",
        "Start the others there, or switch these off."),
    MACHINE_LEFT_BY_MOVE(
        true,
        "A move that was not ended left a machine switched off.",
        "Start it if it is to run on, or have it removed; its disks stay."),
    NAME_TAKEN(
        true, "Something here has the name or the ids already.", "Remove or settle that first."),
    MACHINE_IN_WAVE(
        true, "The machine is in another open wave.", "Settle or remove that wave first."),
    SITE_DIFFERS(
        false,
        "A site was at another address when the points were made.",
        "See that it is the same site."),
    SITE_ADDRESS_UNFIT(
        true,
        "The address of a site can't be used from here.",
        "Add the site first, by its name, with the address that it has from here."),
    POWER_DIFFERS(
        false,
        "A machine that is off at its source is started when it lands, or one that runs is not.",
        "Say with the setting power which of them it is to be."),
    PASS_FAILING(true, "The last passes failed.", "See what the last pass says, and mend that."),
    EXPOSURE_OVER_RPO(
        true,
        "The newest recovery point is older than the RPO.",
        "See what keeps the passes; ask for one now."),
    NOT_TESTED(true, "No test cutover of the present plan passed.", "Test the wave."),
    TEST_FAILED(
        true,
        "The last test cutover failed.",
        "See its dossier, mend what it says, and test again."),
    TEST_LAPSED(true, "Something changed since the test that passed.", "Test again."),
    NOT_LANDED(
        true, "The machine runs at its source.", "Cut the wave over when its evening comes."),
    SIDES_DIVERGED(
        true,
        "Both sides have changed since the common point.",
        "Reconcile: measure what differs, and keep one."),
    NOT_SETTLED(
        true,
        "The move is not closed; undo is possible still.",
        "Settle it when nobody wants it undone."),
    NOT_PROTECTED(
        true, "No passes run for the machine.", "Load the wave, or resume its replication.");

    private final boolean blocks;
    private final String meaning;
    private final String advice;

    Code(boolean blocks, String meaning, String advice) {
      this.blocks = blocks;
      this.meaning = meaning;
      this.advice = advice;
    }

    /** Whether it keeps what it is found for from going on. */
    public boolean blocks() {
      return blocks;
    }

    /** What it means, in one sentence. */
    public String meaning() {
      return meaning;
    }

    /** What is usually done about it. */
    public String advice() {
      return advice;
    }

    /** Whether it is about a machine's size, and so of the gate 'sized'. */
    public boolean ofSize() {
      return name().startsWith("SIZE_") || this == NO_SIZE_FITS;
    }

    /** Whether it is about where a machine's disks go. */
    public boolean ofStorage() {
      return this == STORAGE_NOT_JOINED
          || this == STORAGE_UNKNOWN
          || this == DISK_TOO_LARGE
          || this == FIRST_DISK_LEFT_OUT;
    }

    /** Whether it is about what becomes of a machine as it lands, and of no account afterwards. */
    public boolean ofLanding() {
      return this == POWER_DIFFERS
          || this == COPY_ELSEWHERE
          || this == DISK_CARRIED
          || this == CARRIED_MISSING
          || this == CARRIED_UNFIT
          || this == CARRIED_BEHIND;
    }

    /** The stable form: lower case with dashes. */
    public String text() {
      return name().toLowerCase(java.util.Locale.ROOT).replace('_', '-');
    }
  }
}
