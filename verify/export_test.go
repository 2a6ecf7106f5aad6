package verify

// AuditAll has each step of a walk audited.
func AuditAll(o *Options) { o.auditAll = true }
