package evidence

import "strings"

// DeviceKind says what a device is.
type DeviceKind string

// The kinds of devices.
const (
	Client         DeviceKind = "client"
	Server         DeviceKind = "server"
	VMHost         DeviceKind = "vm_host"
	VirtualMachine DeviceKind = "virtual_machine"
	ContainerHost  DeviceKind = "container_host"
	Mobile         DeviceKind = "mobile"
)

// DeviceKinds are all kinds of devices.
var DeviceKinds = []DeviceKind{Client, Server, VMHost, VirtualMachine, ContainerHost, Mobile}

// Environment is what a device is run for; rights may hold in one and not in another.
type Environment string

// The environments.
const (
	Production  Environment = "production"
	Test        Environment = "test"
	Development Environment = "development"
	Training    Environment = "training"
	Standby     Environment = "standby"
)

// Environments are all environments.
var Environments = []Environment{Production, Test, Development, Training, Standby}

// DeviceStatus is where a device is in its life. What is installed counts on one in service alone.
type DeviceStatus string

// The states of a device.
const (
	InService DeviceStatus = "in_service"
	InStore   DeviceStatus = "in_store"
	Retired   DeviceStatus = "retired"
)

// DeviceStatuses are all states of a device.
var DeviceStatuses = []DeviceStatus{InService, InStore, Retired}

// Known is whether something is so, as far as anybody knows; empty is that nobody does.
type Known string

// What may be known.
const (
	Yes Known = "true"
	No  Known = "false"
)

// Stated is what is said of a device that figures depend on, and that may have been otherwise before. HostID is the
// device_id of the machine that a virtual one runs on; CoreFactor a decimal, empty for none.
type Stated struct {
	Kind                            DeviceKind
	Environment                     Environment
	OrgUnit, Site, Country          string
	PrimaryUser                     string // user_id
	Status                          DeviceStatus
	HostID, Cluster                 string
	Pinned, Portable                Known
	CoreFactor                      string
	Processors, Cores, VirtualCores int64
}

// Device is a machine on which software is found. LastScan is in seconds since 1970, 0 for never.
type Device struct {
	Code, Name               string
	IPAddress, DirectoryPath string
	OSName, OSVersion        string
	Stated
	LastScan int64
}

// OS is the operating system and its version.
func (d *Device) OS() string { return strings.TrimSpace(d.OSName + " " + d.OSVersion) }

// NotCounted says why nothing counts on a device in this state; empty where it does.
func (s DeviceStatus) NotCounted() string {
	switch s {
	case InStore:
		return "the device is in store"
	case Retired:
		return "the device is retired"
	}
	return ""
}
